import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { beats, coversAll, Front, sameVector, type Vector } from './front';

describe('a front', () => {
  const vectors = fc.array(
    fc.tuple(fc.nat(3), fc.nat(3), fc.nat(2), fc.nat(3), fc.nat(2), fc.nat(1)) as fc.Arbitrary<Vector>,
    { maxLength: 30 },
  );

  it('holds just the unbeaten, one for each vector, in whatever order they come', () => {
    fc.assert(
      fc.property(vectors, (all) => {
        const front = new Front<null>();
        for (const vector of all)
          front.add({ vector, rank: { stranded: 0, touched: 0, list: '' }, value: null });
        const kept = front.members.map((member) => member.vector.join()).sort();
        const unbeaten = all.filter((one) => !all.some((other) => beats(other, one)));
        expect(kept).toEqual([...new Set(unbeaten.map((one) => one.join()))].sort());
        // What ties is not closed: a smaller list may come.
        for (const vector of all) {
          expect(front.closes(vector)).toBe(
            !front.members.some((member) => sameVector(member.vector, vector)),
          );
        }
        expect(all.every((one) => front.members.some((member) => coversAll(member.vector, one)))).toBe(true);
      }),
    );
  });

  it('prefers less stranded space, then fewer partitions, then the smaller list', () => {
    const front = new Front<string>();
    const vector: Vector = [1, 0, 0, 1, 0, 0];
    const add = (stranded: number, touched: number, list: string) =>
      front.add({ vector, rank: { stranded, touched, list }, value: list });
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
