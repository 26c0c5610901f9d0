import { afterAll, expect, it } from 'vitest';
import { DAY, share, shareOf, WHOLE } from '../../test/evidence';
import { proveCuts, type Scenario } from './cuts';

/** `npm run cuts` carries every second state out again. */
const AGAIN = 5;
/** Every so many-th state of those that a scenario asks for is tried; `npm run cuts` tries all of them. */
const THINNED = WHOLE ? 2 : 12;

/** Half of the scenarios. How many states that comes to is printed, and asked for. */
export function cutsAreSurvived(
  scenarios: readonly { name: string; lay: () => Promise<Scenario> }[],
  half: 0 | 1,
  least: number,
): void {
  let total = 0;
  const mine = scenarios.filter((_, i) => i % 2 === half);
  for (const { name, lay } of shareOf(mine, 2)) {
    it(
      name,
      async () => {
        const scenario = await lay();
        scenario.every = (scenario.every ?? 1) * THINNED;
        scenario.from = WHOLE ? 0 : DAY % scenario.every;
        const { cuts, failures } = await proveCuts(scenario, { subsets: 50, seed: 14, again: AGAIN });
        expect(failures).toEqual([]);
        expect(cuts).toBeGreaterThan(WHOLE ? 25 : 2);
        total += cuts;
      },
      120_000,
    );
  }
  afterAll(() => {
    console.log(`${total} states after a cut, each gone on from and taken back`);
    expect(total).toBeGreaterThan(share(least, 20));
  });
}
