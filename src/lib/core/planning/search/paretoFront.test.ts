import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { beats, sameCriteria, type Criteria } from '../criteria';
import { ParetoFront } from './paretoFront';

const criteria: fc.Arbitrary<Criteria> = fc.record({
  bytesCopied: fc.nat(3),
  exposedBytes: fc.nat(3),
  restarts: fc.nat(2),
  steps: fc.nat(3),
  idle: fc.nat(2),
  givesUp: fc.constantFrom(0, 1),
});
const NO_RANK = { stranded: 0, touched: 0, list: '' };

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
            !front.members.some((member) => sameCriteria(member.criteria, one)),
          );
        }
      }),
    );
  });

  it('knows what is better in one criterion, whichever it is', () => {
    const two: Criteria = { bytesCopied: 2, exposedBytes: 2, restarts: 2, steps: 2, idle: 2, givesUp: 1 };
    for (const key of Object.keys(two) as (keyof Criteria)[]) {
      const less = { ...two, [key]: two[key] - 1 };
      expect([beats(less, two), beats(two, less)], key).toEqual([true, false]);
    }
    expect(beats(two, { ...two })).toBe(false);
  });

  it('prefers less stranded space, then fewer partitions, then the smaller list', () => {
    const front = new ParetoFront<string>();
    const one: Criteria = { bytesCopied: 1, exposedBytes: 0, restarts: 0, steps: 1, idle: 0, givesUp: 0 };
    const add = (stranded: number, touched: number, list: string) =>
      front.add({ criteria: one, rank: { stranded, touched, list }, value: list });
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
