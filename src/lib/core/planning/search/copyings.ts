import type { PackingBound } from './packing';
import type { SearchProblem } from './searchProblem';
import { bit, statusOf, type Skeleton } from './skeleton';
import type { UnderStatus, Walls } from './walls';

/** Files that are copied to a new volume on the disk from here on: none, those of one volume, or of several. */
export interface Copying {
  /** Blocks whose files are copied, as bits; where several volumes are copied, any of them. */
  blocks: number;
  several: boolean;
  /** Steps that copying takes more than moving would. */
  steps: number;
  under: UnderStatus;
  /** Demand on the donors when blocks left for places clear of their own, before these copies. */
  past: readonly PackingBound[];
}

/**
 * Every case of copies from here on that can be with what went before, in no more than so many steps over those of
 * moves; the target's files among them where it may leave its place.
 */
export function copyingsOf(
  problem: SearchProblem,
  at: Skeleton,
  walls: Walls,
  { mostSteps, targetMoves }: { mostSteps: number; targetMoves: boolean },
): Copying[] {
  const status = statusOf(problem, at);
  const copyings: Copying[] = [];
  const add = (blocks: number, several: boolean, steps: number): void => {
    const past = steps > mostSteps ? null : pastOf(problem, at, walls, blocks);
    if (past) copyings.push({ blocks, several, steps, under: walls.under(status, blocks), past });
  };
  add(0, false, 0);
  if (at.extended) return copyings;
  let all = 0;
  const more: number[] = [];
  for (const id of at.order) {
    const { copies, movers, moversOnceDecrypted } = problem.blocks[id]!;
    if (copies.length === 0 || at.remade & bit(id)) continue;
    if (id === problem.target && !targetMoves) continue;
    all |= bit(id);
    more.push(movers | moversOnceDecrypted ? 2 : 0);
    add(bit(id), false, more.at(-1)!);
  }
  more.sort((a, b) => a - b);
  if (more.length > 1) add(all, true, more[0]! + more[1]!);
  return copyings;
}

/** Blocks that went clear of their found place before; null: not with these copied. */
function pastOf(problem: SearchProblem, at: Skeleton, known: Walls, copied: number): PackingBound[] | null {
  const fits: PackingBound[] = [];
  for (const { block, anew, walls, status } of at.cleared) {
    const later = copied | (at.remade & ~status.remade);
    const fit = known.under(status, later, true).clear(walls, problem.blocks[block]!, anew);
    if (!fit) return null;
    // Room that a copy of the target left out comes back where it is extended.
    fits.push(anew && block === problem.target ? { ...fit, slots: 0 } : fit);
  }
  return fits;
}
