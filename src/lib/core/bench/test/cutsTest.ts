import { afterAll, expect, it } from 'vitest';
import { proveCuts, type Scenario } from './cuts';

/** `npm run cuts` carries every second state out again. */
const AGAIN = 5;
/** Of scenarios that take long, this command tries so many states fewer; those that are tried at every instant stay so. */
const THINNED = 2;

/** Each instant of every second scenario. How many states that comes to is printed, and asked for. */
export function cutsAreSurvived(
  scenarios: readonly { name: string; lay: () => Promise<Scenario> }[],
  half: 0 | 1,
  least: number,
): void {
  let total = 0;
  for (const [i, { name, lay }] of scenarios.entries()) {
    if (i % 2 !== half) continue;
    it(
      name,
      async () => {
        const scenario = await lay();
        if (scenario.every && scenario.every > 1) scenario.every *= THINNED;
        const { cuts, failures } = await proveCuts(scenario, { subsets: 50, seed: 14, again: AGAIN });
        expect(failures).toEqual([]);
        expect(cuts).toBeGreaterThan(25);
        total += cuts;
      },
      120_000,
    );
  }
  afterAll(() => {
    console.log(`${total} states after a cut, each gone on from and taken back`);
    expect(total).toBeGreaterThan(least);
  });
}
