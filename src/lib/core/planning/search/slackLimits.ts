import { unallocated } from '../../disk';
import { joinHulls, type Corner } from '../shares';
import type { Amounts } from './differenceConstraints';
import type { SearchProblem } from './searchProblem';
import { endSlack, numberRegrownSlack, slackCount } from './skeleton';

/** All slacks as far as they go; those that need no step of their own alone. */
export interface SlackLimits {
  all: Amounts;
  free: Amounts;
  /** Slots that were unallocated as found, at the most. */
  unallocated: number;
  /** Bytes copied are whole multiples of this where donors shrink. */
  grain: number;
  /** Bytes by which given slots may be less than whole: 0 on a disk where everything is aligned. */
  slack: number;
  /** Room that each block can give by shrinking: a lower bound of the bytes for every amount. */
  hulls: readonly (readonly Corner[])[];
}

/** Limits of every slack on this search problem. */
export function slackLimitsOf(problem: SearchProblem, mostEnlarged: number): SlackLimits {
  const all = new Int32Array(slackCount(problem));
  const free = new Int32Array(slackCount(problem));
  for (const block of problem.blocks) {
    all[block.id] = Math.max(0, ...block.shrinks.map((way) => way.most));
    const anew = Math.max(block.asideMost, ...block.copies.map((way) => way.most));
    all[numberRegrownSlack(problem, block.id)] = free[numberRegrownSlack(problem, block.id)] = all[block.id]!;
    all[problem.blocks.length + block.id] = free[problem.blocks.length + block.id] = anew;
  }
  all[endSlack(problem)] = free[endSlack(problem)] = mostEnlarged;
  const givers = problem.blocks.filter((block) => block.shrinks.length > 0);
  return {
    all,
    free,
    unallocated: countUnallocatedSlots(problem),
    grain: givers.length === 0 ? 1 : Math.min(...givers.map((block) => block.grain)),
    slack:
      givers.reduce((sum, block) => sum + block.slots * problem.slot - block.sectors, 0) *
      problem.disk.sectorSize,
    hulls: problem.blocks.map((block) => joinHulls([block.corners])),
  };
}

/**
 * Everything in no partition, and what the frame holds besides its drives. Where all is aligned only whole slots
 * count: nothing can be put into less, and no step makes two blocks of slots one.
 */
export function countUnallocatedSlots({ blocks, area, slot }: SearchProblem): number {
  // The frame itself counts as free, and its drives as taken: its ends may move.
  const taken = blocks
    .filter((block) => block.kind === 'primary' || block.kind === 'logical')
    .sort((a, b) => a.first - b.first)
    .map(({ first, sectors }) => ({ first, sectors }));
  const aligned = taken.every(({ first, sectors }) => first % slot === 0 && sectors % slot === 0);
  const gaps = unallocated({ first: area.first, sectors: area.end - area.first }, taken);
  return gaps.reduce((sum, { first, sectors }) => {
    if (!aligned) return sum + sectors / slot;
    return sum + Math.max(0, Math.floor((first + sectors) / slot) - Math.ceil(first / slot));
  }, 0);
}
