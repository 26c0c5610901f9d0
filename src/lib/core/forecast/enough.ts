import { GIB, MIB, roundDown, roundUp } from '../units';
import type { Growth } from './growth';

/** Free room that Windows needs for its yearly upgrade. */
export const UPGRADE = 20 * GIB;
/** Years that a size is to be enough for, where the workshop does not say otherwise. */
export const USUAL_YEARS = 2;

/**
 * The size that is enough for so many years, with room for the yearly upgrade at the end, in whole GiB.
 * @param used bytes that will be in use at the beginning: what goes first does not count
 */
export const computeEnough = (used: number, growth: Growth, years: number): number =>
  roundUp(used + Math.max(0, growth.middle) * years + UPGRADE, GIB);

/** A volume that shares room with others. Sizes in bytes, rates in bytes a year. */
export interface Sharer {
  partition: number;
  used: number;
  rate: number;
  /** The least and the most that it can have afterwards. */
  least: number;
  most: number;
}

/** Size that each gets so that all last equally long. */
export interface FairShare {
  /** Bytes by partition, whole MiB. */
  sizes: Record<number, number>;
  /**
   * Years until they are full together; those that stand at a bound of theirs are full later or sooner. null: none
   * fills.
   */
  years: number | null;
}

const MAX_YEARS = 1000;

/**
 * Shares a room so that all who fill are full on the same day: each gets what it uses and its rate times the same time,
 * within its bounds. One that does not fill gives what it can.
 *
 * @param room bytes that they have together, and unallocated room beside them
 * @returns null where even the least of all is more than there is
 */
export function computeFairShare(sharers: readonly Sharer[], room: number): FairShare | null {
  const at = (years: number, { used, rate, least, most }: Sharer): number =>
    Math.min(most, Math.max(least, used + Math.max(0, rate) * years));
  const sum = (years: number): number => sharers.reduce((all, one) => all + at(years, one), 0);
  if (sharers.reduce((all, { least }) => all + least, 0) > room) return null;
  let [low, high] = [0, MAX_YEARS];
  if (sum(high) > room) {
    // The sum never falls with the years, so the longest that fits is found by halves.
    for (let i = 0; i < 100; i++) {
      const middle = (low + high) / 2;
      if (sum(middle) <= room) low = middle;
      else high = middle;
    }
  } else low = MAX_YEARS;
  const sizes = Object.fromEntries(
    sharers.map((one) => [one.partition, Math.max(one.least, roundDown(at(low, one), MIB))]),
  );
  return { sizes, years: sharers.some(({ rate }) => rate > 0) ? low : null };
}
