import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { findCheapestAmounts, type SlackVariable } from './amounts';
import {
  findPositiveCycle,
  findGreatestPlaces,
  findLeastPlaces,
  NONE,
  findWidest,
  type Constraint,
} from './differenceConstraints';

const PLACES = 4;
const SLACKS = 2;
const FAR = 30;

/** Constraints among a few places that all lie between 0 and FAR. */
const systems = fc
  .array(
    fc.record({
      from: fc.integer({ min: 1, max: PLACES - 1 }),
      to: fc.integer({ min: 1, max: PLACES - 1 }),
      weight: fc.integer({ min: -6, max: 9 }),
      slack: fc.integer({ min: NONE, max: SLACKS - 1 }),
    }),
    { maxLength: 6 },
  )
  .map((made): Constraint[] => [
    ...made.filter(({ from, to }) => from !== to).map((one) => ({ ...one, relaxedWeight: one.weight })),
    ...[1, 2, 3].flatMap((place) => [
      { from: 0, to: place, weight: 0, relaxedWeight: 0, slack: NONE },
      { from: place, to: 0, weight: -FAR, relaxedWeight: -FAR, slack: NONE },
    ]),
  ]);
const amountsOf = (...amounts: number[]) => Int32Array.from(amounts);
const holds = (edges: readonly Constraint[], at: ArrayLike<number>, amounts: Int32Array): boolean =>
  edges.every(({ from, to, weight, relaxedWeight, slack }) => {
    const now =
      slack === NONE || amounts[slack] === 0 ? weight : Math.min(weight, relaxedWeight - amounts[slack]!);
    return at[to]! >= at[from]! + now;
  });

describe('difference constraints', () => {
  it('have least and greatest places that hold, and no others beyond them', () => {
    fc.assert(
      fc.property(systems, fc.nat(5), fc.nat(5), (edges, a, b) => {
        const amounts = amountsOf(a, b);
        const least = findLeastPlaces(edges, PLACES, amounts);
        if (!least) return;
        const greatest = findGreatestPlaces(edges, PLACES, amounts);
        expect(holds(edges, least, amounts)).toBe(true);
        expect(holds(edges, greatest, amounts)).toBe(true);
        for (let place = 0; place < PLACES; place++)
          expect(greatest[place]).toBeGreaterThanOrEqual(least[place]!);
        expect(findWidest(edges, PLACES, amounts, 0, 1)).toBe(greatest[1]);
      }),
    );
  });

  it('hold or contradict each other, never both, as trying every place says', () => {
    fc.assert(
      fc.property(systems, (edges) => {
        const amounts = amountsOf(0, 0);
        let any = false;
        for (let x = 0; x <= FAR && !any; x++)
          for (let y = 0; y <= FAR && !any; y++)
            for (let z = 0; z <= FAR && !any; z++) any = holds(edges, [0, x, y, z], amounts);
        expect(findLeastPlaces(edges, PLACES, amounts) !== null).toBe(any);
        expect(findPositiveCycle(edges, PLACES, amounts, () => true) === null).toBe(any);
      }),
      { numRuns: 60 },
    );
  });

  it('more slack never contradicts what held before', () => {
    fc.assert(
      fc.property(systems, fc.nat(5), fc.nat(5), fc.nat(3), (edges, a, b, more) => {
        if (!findLeastPlaces(edges, PLACES, amountsOf(a, b))) return;
        expect(findLeastPlaces(edges, PLACES, amountsOf(a + more, b))).not.toBeNull();
      }),
    );
  });
});

describe('amounts', () => {
  it('are the cheapest that resolve everything, as trying all of them says', () => {
    const slackOf = (id: number, slope: number): SlackVariable => ({
      id,
      least: 0,
      most: 8,
      cost: (slots) => slots * slope,
      corners: [
        { slots: 0, bytes: 0 },
        { slots: 8, bytes: 8 * slope },
      ],
      grain: 1,
      counts: true,
    });
    let resolved = 0;
    fc.assert(
      fc.property(systems, fc.integer({ min: 1, max: 9 }), fc.integer({ min: 1, max: 9 }), (edges, s, t) => {
        const slacks = [slackOf(0, s), slackOf(1, t)];
        const settled = findCheapestAmounts({ edges, count: PLACES, slacks, slackCount: SLACKS });
        let least = Infinity;
        for (let a = 0; a <= 8; a++)
          for (let b = 0; b <= 8; b++)
            if (findLeastPlaces(edges, PLACES, amountsOf(a, b))) least = Math.min(least, a * s + b * t);
        expect(settled?.bytes ?? Infinity).toBe(least);
        if (settled && settled.bytes > 0) resolved++;
      }),
      { numRuns: 400 },
    );
    expect(resolved).toBeGreaterThan(5);
  });
});
