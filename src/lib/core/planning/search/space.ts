import type { SlackLimits } from './slackLimits';
import type { SearchProblem, Block } from './searchProblem';
import type { Skeleton } from './skeleton';
import { maySetAside } from './ways';

/** Slots that are free for a while, since what stood there is deleted, set aside or copied out. */
function lentSlots(problem: SearchProblem, at: Skeleton): number {
  return problem.blocks.reduce((sum, block) => {
    if (block.id === problem.target) return sum;
    const gone = !at.order.includes(block.id);
    const may =
      maySetAside(at, block) || (!at.moved && block.copies.length > 0 && problem.outside.length > 0);
    return gone || may ? sum + block.slots : sum;
  }, 0);
}

/** Slots of what may be deleted or was. */
const deleted = (problem: SearchProblem, at: Skeleton): number =>
  problem.blocks.reduce((sum, block) => {
    const may = block.deletable && block.id !== problem.target && (!at.moved || !at.order.includes(block.id));
    return may ? sum + block.slots : sum;
  }, 0);

/**
 * Slots given in the end, at the least, once files were copied to a new volume on the disk; null: none were. What the
 * volume gave before is not given in the end, but while the copy went on the old one, however small, stood beside the
 * new one.
 */
export function countGivenByCopy(problem: SearchProblem, at: Skeleton, limits: SlackLimits): number | null {
  if (at.remade === 0) return null;
  for (let one = at.acts; one; one = one.before) {
    if (one.act.kind === 'copy-in' && one.act.block !== problem.target)
      return countGivenBeside(problem, at, limits, problem.blocks[one.act.block]!);
  }
  return null;
}

/** Slots given in the end, at the least, by a volume whose files are copied from here on. */
export const countGivenBeside = (
  problem: SearchProblem,
  at: Skeleton,
  limits: SlackLimits,
  block: Block,
): number =>
  block.slots - limits.all[block.id]! - limits.unallocated - lentSlots(problem, at) - deleted(problem, at);
