import { GIB, MIB, roundDown } from '../units';
import { computeEnough, computeFairShare, type Sharer } from './enough';
import { fullRange, growthOf, type FullRange, type Growth } from './growth';
import type { Point } from './line';

/** A volume with what is known of how it fills. Bytes. */
export interface DatedFilling {
  partition: number;
  /** Now, and what will be in use once what goes first is gone. */
  size: number;
  used: number;
  /** Used bytes at all surveys, this one as well. */
  surveys: readonly Point[];
  /** Bytes a year by the ages of its files, where they tell. */
  byAge: { low: number; middle: number; high: number } | null;
}

export interface ProposalInput {
  /** Milliseconds since 1970: when the survey was taken. */
  now: number;
  target: DatedFilling;
  /** Volumes that may give, with the least that each can have. */
  donors: readonly (DatedFilling & { least: number })[];
  /** Bytes that belong to no partition. */
  unallocated: number;
  /** The most that the target can get. */
  most: number;
  /** Years that it should last. */
  years: number;
}

export interface Proposals {
  growth: Growth;
  /** When it is full as it is. */
  asItIs: FullRange;
  /** The size that is enough; `short`: it is more than the target can get, and the most stands there instead. */
  enough: { size: number; short: boolean };
  /**
   * The size at which target and donors last equally long, with what each donor gives; null: no donor gives anything by
   * it.
   */
  fair: { size: number; gives: Record<number, number>; full: number | null } | null;
}

/** Time that a target lasts, and sizes that would be enough. null: nothing is known of how it fills. */
export function listProposals({
  now,
  target,
  donors,
  unallocated,
  most,
  years,
}: ProposalInput): Proposals | null {
  const growth = growthOf(target.surveys, target.byAge);
  if (!growth) return null;
  const asItIs = fullRange(target.used, target.size, now, growth);
  const size = Math.max(target.size, computeEnough(target.used, growth, years));
  const enough = { size: Math.min(size, most), short: size > most };
  return { growth, asItIs, enough, fair: fairFor({ now, target, donors, unallocated, most, years }, growth) };
}

function fairFor(
  { now, target, donors, unallocated, most }: ProposalInput,
  growth: Growth,
): Proposals['fair'] {
  if (growth.middle <= 0) return null;
  const sharers: Sharer[] = [
    { ...target, rate: growth.middle, least: target.size, most },
    ...donors.map((donor) => ({
      ...donor,
      // Of one that nobody has watched nothing is taken for granted: it keeps its share of what is free.
      rate: growthOf(donor.surveys, donor.byAge)?.middle ?? growth.middle,
      least: Math.min(donor.least, donor.size),
      most: donor.size,
    })),
  ];
  const room = sharers.slice(1).reduce((sum, { most }) => sum + most, target.size + unallocated);
  const share = computeFairShare(sharers, room);
  if (!share) return null;
  const size = roundDown(share.sizes[target.partition]!, GIB);
  const gives = donors.map(({ partition, size: has }) => ({
    partition,
    bytes: has - share.sizes[partition]!,
  }));
  gives.sort((a, b) => b.bytes - a.bytes);
  const [first] = gives;
  if (size <= target.size || !first || first.bytes < GIB) return null;
  // Whole GiB leave something over, which the one that gives most keeps.
  const over = gives.reduce((sum, { bytes }) => sum + bytes, target.size + unallocated - size);
  first.bytes -= Math.max(0, Math.min(first.bytes, roundDown(over, MIB)));
  const { likely } = fullRange(target.used, size, now, growth);
  const given = gives.filter(({ bytes }) => bytes > 0).map(({ partition, bytes }) => [partition, bytes]);
  return { size, gives: Object.fromEntries(given) as Record<number, number>, full: likely };
}
