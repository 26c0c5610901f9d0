import { countBits } from './packing';
import type { SearchProblem } from './searchProblem';
import type { SlackLimits } from './slackLimits';
import { bit, type Aim, type Skeleton } from './skeleton';
import type { Least, WantedEnd } from './wanted';

/**
 * What any route that begins with a skeleton costs at the least, if exactly these blocks keep their found place (the
 * walls).
 */
export interface Bound extends Least {
  /** Blocks that keep their found place to the end, as bits. */
  walls: number;
  /** Blocks whose leaving is counted in the bound, as bits; a step of any other block comes on top of it. */
  counted: number;
  /**
   * The steps of the bound without those that only fill room that was freed: a step of another block may be one of
   * those.
   */
  plain: number;
  /** Steps on top of these in which a donor grows back. */
  back: 0 | 1;
}

/** Whether anything that gives could grow back in the end. */
export const anyGrowsBack = ({ blocks }: SearchProblem): boolean =>
  blocks.some((block) => block.shrinks.length > 0 && block.growersOnceDecrypted !== 0);

/** Part of the aim that is still open. */
export interface Asks extends WantedEnd {
  /** Steps, at the most; donors that grow back come on top of them, up to `most`. */
  limit: number;
  most: number;
}

/** No step but the last can be anything else than a move of the target. */
export const MAX_TARGET_MOVES = 7;

/**
 * Steps that it takes at the least until all room that was freed is taken, but for what the target takes. A block
 * that leaves takes room where it goes, and makes two freed rooms beside it one. What is pending takes some, too, in
 * steps that are counted already, and a donor that grows back takes what lies behind it.
 */
export const countLeastStepsToFill = (problem: SearchProblem, freed: number, pending: number): number =>
  Math.max(0, Math.ceil((countBits(freed & ~bit(problem.target) & ~problem.growable) - pending) / 2));

/**
 * The target's extension, where that is still to come: it needs none where its files come back to a volume that is
 * large enough.
 */
export const countStepsToEnd = (problem: SearchProblem, at: Skeleton): number =>
  at.extended || !at.order.includes(problem.target) ? 0 : 1;

/** Bytes given beyond what the target takes, where so many slots are given. */
export function idleOf(problem: SearchProblem, aim: Aim, limits: SlackLimits, slots: number): number {
  const { sectorSize } = problem.disk;
  const grown = aim.goal - problem.blocks[problem.target]!.sectors;
  return Math.max(0, (slots * problem.slot - grown) * sectorSize - limits.slack);
}
