import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { computeRateByAge } from '../holdings/ages';
import { randomFrom } from '../random';
import { GIB, MIB } from '../units';
import {
  DAY,
  computeEnough,
  computeFairShare,
  fullRange,
  growthOf,
  theilSen,
  UPGRADE,
  YEAR,
  type Growth,
  type Point,
  type Sharer,
} from '.';

const START = Date.UTC(2025, 0, 1);

/**
 * A made-up history: so many GiB a year, measured at odd times, with swings up and down and now and then a film that
 * came and went.
 */
function history(
  seed: number,
  rate: number,
  { points = 12, swing = 1, films = true, days = 500 } = {},
): Point[] {
  const random = randomFrom(seed);
  const times = Array.from({ length: points }, () => random() * days).sort((a, b) => a - b);
  return times.map((day, i) => {
    const film = films && i % 5 === 3 ? 30 * GIB * random() : 0;
    return {
      at: START + day * DAY,
      value: 60 * GIB + (rate * GIB * day) / YEAR + (random() - 0.5) * 2 * swing * GIB + film,
    };
  });
}

describe('the line of Theil and Sen', () => {
  it('is the line itself where all lie on one', () =>
    fc.assert(
      fc.property(
        fc.double({ min: -100, max: 100, noNaN: true }),
        fc.uniqueArray(fc.integer({ min: 0, max: 900 }), { minLength: 2, maxLength: 30 }),
        (slope, days) => {
          const line = theilSen(days.map((day) => ({ at: START + day * DAY, value: slope * day })))!;
          for (const one of [line.slope, line.low, line.high]) expect(one).toBeCloseTo(slope, 6);
        },
      ),
    ));

  it('is the median of the slopes of all pairs, worked by hand', () => {
    // Pairs of (1,10) (2,15) (3,14) (4,20) have the slopes 5, 2, 10/3, -1, 2.5, 6, whose median is (2.5 + 10/3) / 2.
    const line = theilSen([10, 15, 14, 20].map((value, i) => ({ at: START + (i + 1) * DAY, value })))!;
    expect(line.slope).toBeCloseTo((2.5 + 10 / 3) / 2, 9);
    expect([line.low, line.high]).toEqual([-1, 6]);
  });

  it('hardly moves for what is out of line, up to a quarter of the surveys', () => {
    const clean = history(1, 20, { films: false, swing: 0, points: 16 });
    const spoiled = clean.map((point, i) =>
      i % 5 === 0 ? { ...point, value: point.value + 200 * GIB } : point,
    );
    const [a, b] = [theilSen(clean)!, theilSen(spoiled)!];
    expect(Math.abs(b.slope - a.slope)).toBeLessThan(0.25 * a.slope);
  });

  it('takes the last of measurements at the same time, and needs two times', () => {
    expect(theilSen([])).toBeNull();
    expect(
      theilSen([
        { at: START, value: 1 },
        { at: START, value: 9 },
      ]),
    ).toBeNull();
    expect(
      theilSen([
        { at: START, value: 1 },
        { at: START, value: 9 },
        { at: START + DAY, value: 10 },
      ])!.slope,
    ).toBe(1);
  });
});

describe('forecasts', () => {
  it('follow known histories: the true rate lies in the range nine times in ten', () => {
    let inside = 0;
    const all = 200;
    for (let seed = 0; seed < all; seed++) {
      const rate = (seed % 40) - 5;
      const growth = growthOf(history(seed, rate), null)!;
      if (growth.low / GIB <= rate && rate <= growth.high / GIB) inside++;
    }
    expect(inside / all).toBeGreaterThan(0.85);
  });

  it('say the day on which a volume is full: it is in the range, for histories whose end is known', () => {
    let inside = 0;
    for (let seed = 0; seed < 100; seed++) {
      const rate = 10 + (seed % 30);
      const points = history(seed, rate, { films: false });
      const last = points.at(-1)!;
      const growth = growthOf(points, null)!;
      const truth = last.at + ((120 * GIB - last.value) / (rate * GIB)) * YEAR * DAY;
      const { early, late, likely } = fullRange(last.value, 120 * GIB, last.at, growth);
      expect(likely).toBeGreaterThanOrEqual(early!);
      if (early! <= truth && (late === null || truth <= late)) inside++;
    }
    expect(inside).toBeGreaterThan(85);
  });

  it('are none for a volume that does not fill, at once for one that is full, and say nothing of the far future', () => {
    const growth: Growth = { low: -GIB, middle: 0, high: GIB, by: 'surveys', surveys: 5 };
    expect(fullRange(50 * GIB, 100 * GIB, START, growth)).toEqual({
      early: START + 50 * YEAR * DAY,
      likely: null,
      late: null,
    });
    expect(fullRange(100 * GIB, 100 * GIB, START, growth).likely).toBe(START);
    expect(fullRange(0, 2000 * GIB, START, growth).early).toBeNull();
  });

  it('go by the ages of files where surveys are not apart, and say so', () => {
    const byAge = { low: 5, middle: 10, high: 20 };
    const close = [0, 1].map((day) => ({ at: START + day * DAY, value: day * GIB }));
    expect(growthOf(close, byAge)).toMatchObject({ by: 'ages', middle: 10 });
    expect(growthOf(close, null)).toBeNull();
    expect(growthOf([], byAge)).toMatchObject({ by: 'ages', surveys: 0 });
    expect(growthOf([close[0]!, { at: START + 90 * DAY, value: GIB }], byAge)).toMatchObject({ by: 'two' });
  });
});

describe('the rate by the ages of files', () => {
  const TAKEN = '2026-11-20T09:30:00Z';
  const monthly = (gib: (index: number) => number) =>
    Array.from({ length: 24 }, (_, i) => {
      const month = 12 * 2024 + 10 + i;
      const created = gib(i) * GIB;
      return {
        month: `${Math.floor(month / 12)}-${String((month % 12) + 1).padStart(2, '0')}`,
        created,
        changed: created,
        files: 1,
      };
    });

  it('is what came a year, and a month in which Windows was installed anew does not count for all', () => {
    expect(computeRateByAge({ months: monthly(() => 2) }, TAKEN)!.middle / GIB).toBeCloseTo(24, 0);
    const reinstalled = computeRateByAge({ months: monthly((i) => (i === 12 ? 60 : 2)) }, TAKEN)!;
    expect(reinstalled.middle / GIB).toBeLessThan(40);
    expect([reinstalled.low * 2, reinstalled.high / 2].map(Math.round)).toEqual(
      [reinstalled.middle, reinstalled.middle].map(Math.round),
    );
  });

  it('is none where the files do not tell', () => {
    expect(computeRateByAge({ months: [] }, TAKEN)).toBeNull();
    expect(computeRateByAge({ months: monthly((i) => (i < 3 ? 2 : 0)) }, TAKEN)).toBeNull();
  });
});

describe('enough', () => {
  it('is what is used, what comes, and room for the yearly upgrade, in whole GiB', () => {
    const growth: Growth = { low: 0, middle: 14.3 * GIB, high: 0, by: 'surveys', surveys: 4 };
    const size = computeEnough(100.2 * GIB, growth, 2);
    expect(size / GIB).toBe(149);
    expect(size - 100.2 * GIB - 2 * 14.3 * GIB).toBeGreaterThanOrEqual(UPGRADE);
    expect(computeEnough(100 * GIB, { ...growth, middle: -5 * GIB }, 2)).toBe(120 * GIB);
  });
});

describe('a fair share', () => {
  const sharer = fc
    .record({
      used: fc.integer({ min: 1, max: 300 }),
      rate: fc.integer({ min: 1, max: 80 }),
      slack: fc.integer({ min: 0, max: 50 }),
    })
    .map(({ used, rate, slack }) => ({
      used: used * GIB,
      rate: rate * GIB,
      least: (used + slack) * GIB,
      most: 1e6 * GIB,
    }));
  const sharers = fc
    .array(sharer, { minLength: 2, maxLength: 5 })
    .map((list) => list.map((one, i): Sharer => ({ ...one, partition: i + 1 })));

  it('makes all dates equal, but for those that stand at a bound, and gives away no more than there is', () =>
    fc.assert(
      fc.property(sharers, fc.integer({ min: 0, max: 2000 }), (all, spare) => {
        const room = all.reduce((sum, { least }) => sum + least, 0) + spare * GIB;
        const { sizes, years } = computeFairShare(all, room)!;
        const given = Object.values(sizes).reduce((sum, one) => sum + one, 0);
        expect(given).toBeLessThanOrEqual(room);
        expect(room - given).toBeLessThanOrEqual(all.length * MIB);
        for (const { partition, used, rate, least } of all) {
          const size = sizes[partition]!;
          const own = (size - used) / rate;
          expect(size).toBeGreaterThanOrEqual(least);
          if (size > least) expect(Math.abs(own - years!)).toBeLessThan((2 * MIB) / rate + 1e-6);
          else expect(own).toBeGreaterThanOrEqual(years! - 1e-6);
        }
      }),
    ));

  it('lets one that does not fill give what it can, and is none where there is not room for all', () => {
    const target = { partition: 3, used: 100 * GIB, rate: 10 * GIB, least: 110 * GIB, most: 1e6 * GIB };
    const still = { partition: 5, used: 50 * GIB, rate: 0, least: 60 * GIB, most: 300 * GIB };
    expect(computeFairShare([target, still], 410 * GIB)!.sizes).toEqual({ 3: 350 * GIB, 5: 60 * GIB });
    expect(computeFairShare([target, still], 100 * GIB)).toBeNull();
    expect(computeFairShare([{ ...target, rate: 0 }, still], 410 * GIB)!.years).toBeNull();
  });
});
