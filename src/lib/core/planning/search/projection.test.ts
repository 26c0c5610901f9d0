import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import type { Board } from './pieces';
import { allows, projectionOf, type Projection } from './projection';
import type { Aim, Skeleton } from './skeleton';
import { leastPlaces, NONE, type Constraint } from './tension';

/** Position 0 is the disk's start, 1 and 2 are where two pieces stand, 3 and 4 were left. */
const COUNT = 5;
const BOARD = { pieces: [{ id: 0 }, { id: 1 }] } as unknown as Board;
const AIM: Aim = { goal: 0, end: -1 };
const MOST = Int32Array.from([6, 6]);

const edge: fc.Arbitrary<Constraint> = fc
  .record({
    from: fc.integer({ min: 0, max: COUNT - 1 }),
    to: fc.integer({ min: 0, max: COUNT - 1 }),
    rigid: fc.integer({ min: -8, max: 8 }),
    more: fc.integer({ min: 0, max: 1 }),
    relief: fc.constantFrom(NONE, 0, 1),
  })
  .filter(({ from, to }) => from !== to)
  .map(({ more, ...one }) => ({ ...one, loose: one.rigid + more }));
const edges = fc.array(edge, { minLength: 1, maxLength: 9 });
const amounts = fc.tuple(fc.integer({ min: 0, max: 6 }), fc.integer({ min: 0, max: 6 }));
const places = fc.tuple(fc.integer({ min: -12, max: 12 }), fc.integer({ min: -12, max: 12 }));

const projected = (list: readonly Constraint[]): Projection => {
  const at = { edges: list, count: COUNT, order: [0, 1], place: Int16Array.from([1, 2]) };
  return projectionOf(BOARD, AIM, at as unknown as Skeleton, MOST);
};

const used = (given: readonly number[]): Int32Array => Int32Array.from(given);

/** Whether the pieces can stand there as far as the projection says. */
function holds(projection: Projection, at: readonly number[], given: readonly number[]): boolean {
  // Names: 0 is the start, 2 and 3 are the pieces.
  const place = (name: number): number => (name === 0 ? 0 : at[name - 2]!);
  return projection.every(({ from, to, still, terms }) => {
    const sum = terms.reduce((all, { relief, rigid, loose, times }) => {
      const amount = given[relief]!;
      return all + (amount > 0 ? loose - times * amount : rigid);
    }, still);
    return place(to) >= place(from) + sum;
  });
}

/** Whether the pieces can stand there as far as all constraints say, places that were left included. */
function possible(list: readonly Constraint[], at: readonly number[], given: readonly number[]): boolean {
  const fixed = at.flatMap((place, i): Constraint[] => [
    { from: 0, to: i + 1, rigid: place, loose: place, relief: NONE },
    { from: i + 1, to: 0, rigid: -place, loose: -place, relief: NONE },
  ]);
  return leastPlaces([...list, ...fixed], COUNT, used(given)) !== null;
}

describe('what a past leaves', () => {
  it('is the same for the pieces as the whole past, for all places and amounts', () => {
    fc.assert(
      fc.property(edges, places, amounts, (list, at, given) => {
        expect(holds(projected(list), at, given)).toBe(possible(list, at, given));
      }),
      { numRuns: 3000 },
    );
  });

  it('allows no less wherever it is said to', () => {
    let said = 0;
    fc.assert(
      fc.property(edges, fc.array(edge, { maxLength: 2 }), fc.infiniteStream(places), (list, more, many) => {
        const [weaker, stronger] = [projected(list), projected([...list, ...more])];
        if (!allows(weaker, stronger, MOST)) return;
        said++;
        for (const at of many.take(10)) {
          for (const given of [
            [0, 0],
            [1, 0],
            [0, 6],
            [6, 3],
          ]) {
            if (holds(stronger, at, given)) expect(holds(weaker, at, given)).toBe(true);
          }
        }
      }),
      { numRuns: 1000 },
    );
    expect(said).toBeGreaterThan(500);
  });
});
