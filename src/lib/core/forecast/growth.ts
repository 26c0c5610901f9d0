import { DAY, theilSen, type Point } from './line';

/** Days of a year, leap years counted in. */
export const YEAR = 365.25;

/**
 * How fast a volume fills, in bytes a year, from the least to the most that fits what is known; below 0: it empties.
 */
export interface Growth {
  low: number;
  middle: number;
  high: number;
  /**
   * `surveys`: a line through all of them; `two`: between two only, so without a range; `ages`: by the ages of files,
   * rough.
   */
  by: 'surveys' | 'two' | 'ages';
  /** Surveys that it goes by. */
  surveys: number;
}

/** Surveys of one day say nothing of a year. */
const MIN_DAYS = 14;

/**
 * How fast a volume fills: by its surveys, where they are days apart; else by the ages of its files.
 * @param surveys used bytes at each survey
 * @param byAge bytes a year by the ages of files, where they tell
 */
export function growthOf(
  surveys: readonly Point[],
  byAge: { low: number; middle: number; high: number } | null,
): Growth | null {
  const times = surveys.map(({ at }) => at);
  const line = Math.max(...times) - Math.min(...times) >= MIN_DAYS * DAY ? theilSen(surveys) : null;
  if (line)
    return {
      low: line.low * YEAR,
      middle: line.slope * YEAR,
      high: line.high * YEAR,
      by: line.points === 2 ? 'two' : 'surveys',
      surveys: line.points,
    };
  return byAge && { ...byAge, by: 'ages', surveys: surveys.length };
}

/** Years until a volume is full; null: never, as things go. */
export function computeYearsUntilFull(room: number, rate: number): number | null {
  if (room <= 0) return 0;
  return rate > 0 ? room / rate : null;
}

/**
 * When a volume is full, as times in milliseconds since 1970: at the earliest, most likely, and at the latest. null:
 * never.
 */
export interface FullRange {
  early: number | null;
  likely: number | null;
  late: number | null;
}

/** Beyond this many years a forecast says nothing: null stands there as well. */
const MAX_YEARS = 50;

/** @param from milliseconds since 1970, when `used` was measured */
export function fullRange(used: number, size: number, from: number, growth: Growth): FullRange {
  const at = (rate: number): number | null => {
    const years = computeYearsUntilFull(size - used, rate);
    return years === null || years > MAX_YEARS ? null : from + years * YEAR * DAY;
  };
  return { early: at(growth.high), likely: at(growth.middle), late: at(growth.low) };
}
