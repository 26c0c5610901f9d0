import { shareOf, WHOLE } from '../test/evidence';
import { describe, expect, it } from 'vitest';
import { compare, FAT_TARGET, JOINED, OF_SO_MANY, smallCase } from './test/smallDisks';

/** Disks of up to 6 partitions, all kits and verbs; see `npm run prove` for many more and longer routes. */
const SEEDS = shareOf(
  Array.from({ length: 500 }, (_, i) => i + 1),
  10,
);

describe('the planner against an independent exhaustive search', () => {
  it.each([
    ['whose target is FAT32 and may be converted', FAT_TARGET, 'converting', 8],
    ['whose data volumes may be joined to the target, at whatever moment', JOINED, 'joining', 30],
  ] as const)('misses none on disks %s', { timeout: 120_000 }, (_, kind, what, least) => {
    let [counted, unknown] = [0, 0];
    const seeds = shareOf(
      Array.from({ length: 150 }, (_, i) => kind + OF_SO_MANY * i),
      5,
    );
    for (const seed of seeds) {
      const verdict = compare(smallCase(seed, 6, 5), 20_000, 6000);
      if (verdict.kind === 'misses') expect.fail(`seed ${seed}: ${verdict.vector.join()}\n${verdict.path}`);
      if (verdict.kind === 'unknown') unknown++;
      else counted += verdict[what];
    }
    expect(counted).toBeGreaterThan(WHOLE ? least : 0);
    expect(unknown).toBeLessThan(seeds.length / 5);
  });

  it(
    `misses no unbeaten route of up to 5 steps on ${SEEDS.length} made-up disks`,
    { timeout: 180_000 },
    () => {
      const counted = { agrees: 0, unknown: 0, reached: 0, routes: 0 };
      for (const seed of SEEDS) {
        const verdict = compare(smallCase(seed, 6, 5), 20_000, 6000);
        if (verdict.kind === 'misses') {
          expect.fail(
            `seed ${seed}: ${verdict.vector.join()} is reached, but not in ${JSON.stringify(verdict.front)}\n${verdict.path}`,
          );
        }
        counted[verdict.kind]++;
        if (verdict.kind !== 'agrees' || verdict.routes === 0) continue;
        counted.reached++;
        counted.routes += verdict.routes;
      }
      console.log('exhaustive comparison', counted);
      // The law would be empty if hardly anything were reached, or looked at to its end.
      expect(counted.reached).toBeGreaterThan(SEEDS.length / 4);
      expect(counted.unknown).toBeLessThan(SEEDS.length / 5);
    },
  );
});
