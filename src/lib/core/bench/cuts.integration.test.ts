import { describe, expect, it } from 'vitest';
import { proveCuts } from './test/cuts';
import { SCENARIOS } from './test/scenarios';

describe('the power is cut', () => {
  for (const { name, lay } of SCENARIOS) {
    it(
      name,
      async () => {
        const began = Date.now();
        const { cuts, failures } = await proveCuts(await lay(), {
          every: Number(process.env.EVERY ?? 1),
          subsets: 50,
          seed: 14,
        });
        console.log(name, cuts, Date.now() - began);
        expect(failures).toEqual([]);
        expect(cuts).toBeGreaterThan(20);
      },
      300_000,
    );
  }
});
