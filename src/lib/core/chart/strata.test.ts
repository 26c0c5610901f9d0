import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { HoldingsTree } from '../holdings';
import { sketchedHoldings } from '../holdings/sketch';
import { GIB } from '../units';
import { stackStrata, walkStrata } from './strata';
import type { Direction } from './walk';

const names = fc.array(fc.constantFrom('tide', 'salt', 'marsh', 'Users', 'Windows'), {
  minLength: 1,
  maxLength: 6,
});
const volume = fc
  .array(
    fc.record({
      path: names.map((parts) => parts.join('\\')),
      gib: fc.double({ min: 0, max: 9, noNaN: true }),
    }),
    { maxLength: 25 },
  )
  .map(
    (folders) =>
      new HoldingsTree(sketchedHoldings({ partition: 1, size: 900 * GIB, used: 300 * GIB, folders })),
  );

describe('layers of what fills a volume', () => {
  it('lie within the one above, beside each other, each as wide as its share', () =>
    fc.assert(
      fc.property(volume, fc.nat(), (tree, n) => {
        const opened = n % tree.volume.folders.length;
        const all = stackStrata(tree, opened);
        const whole = all[0]!.bytes;
        const byKey = new Map(all.map((one) => [one.key, one]));
        expect(byKey.size).toBe(all.length);
        for (const one of all) {
          expect(one.width).toBeCloseTo(whole === 0 ? 1 : one.bytes / whole, 9);
          const above = one.parent === null ? null : byKey.get(one.parent)!;
          if (!above) continue;
          expect(one.layer).toBe(above.layer + 1);
          expect(one.x).toBeGreaterThanOrEqual(above.x - 1e-9);
          expect(one.x + one.width).toBeLessThanOrEqual(above.x + above.width + 1e-9);
        }
        for (const layer of new Set(all.map((one) => one.layer))) {
          const inLayer = all.filter((one) => one.layer === layer).sort((a, b) => a.x - b.x);
          inLayer
            .slice(1)
            .forEach((one, i) =>
              expect(one.x).toBeGreaterThanOrEqual(inLayer[i]!.x + inLayer[i]!.width - 1e-9),
            );
        }
      }),
    ));

  it('of the root account for all that is in use', () =>
    fc.assert(
      fc.property(volume, (tree) => {
        const [top] = stackStrata(tree, 0);
        expect(top!.bytes).toBe(Math.max(tree.volume.used, tree.folder(0).bytes));
      }),
    ));

  it('are all reached by keys, and no key leads out of them', () =>
    fc.assert(
      fc.property(volume, (tree) => {
        const all = stackStrata(tree, 0);
        const seen = new Set<string>();
        const waiting = [all[0]!.key];
        for (let key = waiting.pop(); key; key = waiting.pop()) {
          if (seen.has(key)) continue;
          seen.add(key);
          for (const to of ['left', 'right', 'up', 'down', 'start', 'end'] as Direction[])
            waiting.push(walkStrata(all, key, to));
        }
        expect([...seen].sort()).toEqual(all.map(({ key }) => key).sort());
      }),
    ));
});
