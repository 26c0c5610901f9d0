import type { Criteria } from '../criteria';
import { countBits } from './packing';
import type { SearchProblem } from './searchProblem';
import type { SlackLimits } from './slackLimits';
import { bit, type Aim } from './skeleton';

/** What a skeleton comes to at the least, where exactly these walls keep their found place. */
export interface Bound extends Criteria {
  /** Pieces that keep their found place to the end, as bits. */
  walls: number;
  /** Pieces whose going is counted in it, as bits; a step of another comes on top. */
  counted: number;
  /** Steps without those that freed rooms ask for: what another step comes on top of. */
  plain: number;
}

/** What is still asked for. */
export interface Asks {
  /** Steps, at the most. */
  limit: number;
  /** Whether nothing with at least these figures is. */
  isDominated: (least: Criteria) => boolean;
}

/** No step but the last can be anything else than a move of the target. */
export const MOST_TARGET_MOVES = 7;

/**
 * Steps that it takes at the least until all room that was freed is taken, but for what the target takes. A block
 * that leaves takes room where it goes, and makes two freed rooms beside it one. What is pending takes some, too, in
 * steps that are counted already.
 */
export const minStepsToFill = (problem: SearchProblem, freed: number, pending: number): number =>
  Math.max(0, Math.ceil((countBits(freed & ~bit(problem.target)) - pending) / 2));

/** Bytes given beyond what the target takes, where so many slots are given. */
export function idleOf(problem: SearchProblem, aim: Aim, limits: SlackLimits, slots: number): number {
  const { sectorSize } = problem.disk;
  const grown = aim.goal - problem.blocks[problem.target]!.sectors;
  return Math.max(0, (slots * problem.slot - grown) * sectorSize - limits.slack);
}
