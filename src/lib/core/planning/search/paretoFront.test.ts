import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { beats, CRITERION_KEYS, NO_COST, areSameCriteria, type Criteria } from '../criteria';
import { ParetoFront } from './paretoFront';

const criteria: fc.Arbitrary<Criteria> = fc
  .array(fc.nat(3), { minLength: CRITERION_KEYS.length, maxLength: CRITERION_KEYS.length })
  .map(
    (values) => Object.fromEntries(CRITERION_KEYS.map((key, i) => [key, values[i]])) as unknown as Criteria,
  );
const NO_RANK = { figures: [], list: '' };

describe('a front of unbeaten routes', () => {
  it('holds just the unbeaten, one for each set of criteria, in whatever order they come', () => {
    fc.assert(
      fc.property(fc.array(criteria, { minLength: 1, maxLength: 40 }), (all) => {
        const front = new ParetoFront<null>();
        for (const one of all) front.add({ criteria: one, rank: NO_RANK, value: null });
        const kept = front.members.map((member) => Object.values(member.criteria).join()).sort();
        const unbeaten = all.filter((one) => !all.some((other) => beats(other, one)));
        const wanted = new Set(unbeaten.map((one) => Object.values(one).join()));
        expect(kept).toEqual([...wanted].sort());
        for (const one of all) {
          expect(front.isDominated(one)).toBe(
            !front.members.some((member) => areSameCriteria(member.criteria, one)),
          );
        }
      }),
    );
  });

  it('knows what is better in one criterion, whichever it is', () => {
    for (const key of CRITERION_KEYS) {
      const more = { ...NO_COST, [key]: 1 };
      expect([beats(NO_COST, more), beats(more, NO_COST)], key).toEqual([true, false]);
    }
    expect(beats(NO_COST, { ...NO_COST })).toBe(false);
  });

  it('decides between equals by the first figure that differs, then by the smaller list', () => {
    const front = new ParetoFront<string>();
    const one: Criteria = { ...NO_COST, bytesCopied: 1, steps: 1 };
    const add = (stranded: number, touched: number, list: string) =>
      front.add({ criteria: one, rank: { figures: [stranded, touched], list }, value: list });
    expect([add(5, 1, 'a'), add(0, 3, 'b'), add(0, 2, 'd'), add(0, 2, 'c'), add(9, 1, 'a')]).toEqual([
      true,
      true,
      true,
      true,
      false,
    ]);
    expect(front.members.map((member) => member.value)).toEqual(['c']);
  });
});
