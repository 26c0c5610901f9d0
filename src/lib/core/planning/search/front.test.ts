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

  it('closes what a trade is no dearer than wherever it can lie, and nothing else', () => {
    // Bytes for idle space at 2 a slot: (0, 30), (1, 28) … (10, 10), and another curve beside it.
    const points = Array.from({ length: 11 }, (_, idle) => ({ idle, bytes: 30 - 2 * idle }));
    const figures = fc.record({
      exposed: fc.nat(2),
      restarts: fc.nat(2),
      steps: fc.nat(2),
      givesUp: fc.nat(1),
      idle: fc.nat(10),
      more: fc.integer({ min: -3, max: 3 }),
    });
    fc.assert(
      fc.property(figures, ({ exposed, restarts, steps, givesUp, idle, more }) => {
        const front = new Front<null>();
        front.addTrade({ exposed: 1, restarts: 1, steps: 1, givesUp: 0, points });
        const bytesAt = (left: number): number => 30 - 2 * left + more;
        const least: Vector = [0, exposed, restarts, steps, idle, givesUp];
        const covered = exposed >= 1 && restarts >= 1 && steps >= 1;
        // From the least idle space that it can leave on, the other curve must lie nowhere below.
        const nowhereBelow = points.every((point) => point.idle < idle || bytesAt(point.idle) >= point.bytes);
        expect(front.closesTrade(least, bytesAt)).toBe(covered && nowhereBelow);
      }),
    );
  });
});
