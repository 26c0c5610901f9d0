import { NO_TOOLS } from '../../tools';
import { MOST_TARGET_MOVES, takers, type Bound } from './bound';
import { Bounds } from './bounds';
import { broughtBack, expand, extended } from './expand';
import { extenders, type Board } from './pieces';
import { reachOf, unallocatedSlots, type Reach } from './reach';
import { CHECK_EVERY, MOST_STEPS, startOf, type Budget, type Variant } from './search';
import { AS_FOUND, bit, type Aim, type Skeleton } from './skeleton';
import { leastPlaces, widest } from './tension';
import { Walls } from './walls';

/**
 * The most sectors that the target can end with on these boards in up to {@link MOST_STEPS} steps, at least
 * `atLeast`. Stops at `enough`, beyond which nothing can come.
 */
export function searchLargest(
  variants: readonly Variant[],
  atLeast: number,
  enough: number,
  budget: Budget,
): number {
  let best = atLeast;
  for (let limit = 1; limit <= MOST_STEPS && best < enough; limit++) {
    for (const variant of variants) {
      for (const targetMoves of [false, true]) {
        const found = deeper(variant, targetMoves, limit, best, enough, budget);
        best = found.best;
        if (!found.finished) return Math.min(best, enough);
      }
    }
  }
  return Math.min(best, enough);
}

/** The same with exactly so many steps. */
function deeper(
  variant: Variant,
  targetMoves: boolean,
  limit: number,
  atLeast: number,
  enough: number,
  budget: Budget,
): { best: number; finished: boolean } {
  const { board } = variant;
  const reach = reachOf(board, variant.enlarge);
  let best = atLeast;
  const asks = { limit, isDominated: () => false };
  const aim = (): Aim => ({ goal: best + 1, end: variant.enlarge > 0 ? 1 : AS_FOUND });
  let asked = -1;
  let bounds: Bounds;
  const hopesFor = (at: Skeleton, among: readonly Bound[] | null): readonly Bound[] => {
    if (asked !== best) {
      const walls = new Walls(board, aim(), reach);
      bounds = new Bounds(board, aim(), reach, walls, targetMoves, asks);
    }
    asked = best;
    return bounds.of(at, among);
  };
  const visit = (at: Skeleton, hopes: readonly Bound[]): boolean => {
    if (best >= enough) return true;
    if (--budget.nodes < 0) return false;
    if (budget.nodes % CHECK_EVERY === 0 && budget.stopped()) return false;
    best = Math.max(best, largestHere(board, aim(), at, reach, targetMoves));
    const children = expand(board, aim(), at, {
      reach,
      targetMoves: targetMoves && at.targetMoves < MOST_TARGET_MOVES,
      may: (piece, cost, freed) =>
        at.steps + cost.steps + takers(board, freed, at.pending.length) < limit &&
        hopes.some(({ walls }) => (walls & bit(piece.id)) === 0),
    });
    for (const child of children) {
      const still = hopesFor(child, hopes);
      if (still.length > 0 && !visit(child, still)) return false;
    }
    return true;
  };
  const root = startOf(variant, aim());
  const finished = visit(root, hopesFor(root, null));
  return { best, finished };
}

/** The most that the target can take where the skeleton stands, 0 where it can't be finished here. */
function largestHere(board: Board, aim: Aim, at: Skeleton, reach: Reach, targetMoves: boolean): number {
  if (targetMoves && at.targetMoves === 0) return 0;
  const tools = extenders(board, (at.decrypted & (1 << board.target)) !== 0);
  if (tools === NO_TOOLS) return 0;
  const done = extended(board, aim, at, tools);
  if (!done) return 0;
  let most = 0;
  const finish = (end: Skeleton): void => {
    if (end.steps > MOST_STEPS || !leastPlaces(end.edges, end.count, reach.all)) return;
    if (end.pending.length > 0) return broughtBack(board, aim, end).forEach(finish);
    most = Math.max(most, roomFor(board, aim, end, reach));
  };
  finish(done);
  return most;
}

/** How large the target can be in a finished skeleton, within the steps that are left for shrinking. */
function roomFor(board: Board, aim: Aim, at: Skeleton, reach: Reach): number {
  const { slot } = board;
  const target = board.pieces[board.target]!;
  const index = at.order.indexOf(board.target);
  const next = at.order[index + 1];
  const place = at.place[board.target]!;
  const right = next === undefined ? aim.end : at.place[next]!;
  const gap = next !== undefined && board.pieces[next]!.kind === 'logical' ? 1 : 0;
  const stop = next === undefined ? board.area.end : board.pieces[next]!.first;
  const named = [...new Set(at.edges.map((edge) => edge.relief))].filter(
    (relief) => relief >= 0 && relief < board.pieces.length,
  );
  // Where fewer shrinks fit in than there are donors, the largest are taken.
  const used = named.sort((a, b) => reach.all[b]! - reach.all[a]!).slice(0, MOST_STEPS - at.steps);
  const amounts = reach.free.slice();
  for (const relief of used) amounts[relief] = reach.all[relief]!;
  if (!leastPlaces(at.edges, at.count, amounts)) return 0;
  if (place < 0 && right < 0) return stop - gap * slot - target.first;
  if (place < 0) {
    const first = widest(at.edges, at.count, amounts, 0, right);
    return (first - gap) * slot - target.first;
  }
  if (right < 0) return stop - (leastPlaces(at.edges, at.count, amounts)![place]! + gap) * slot;
  return (widest(at.edges, at.count, amounts, place, right) - gap) * slot;
}

/** The most that any way at all could give the target, in sectors: all that is unallocated, and all that others can spare. */
export function roomInAll(board: Board): number {
  const spare = board.pieces.reduce((sum, piece) => {
    if (piece.deletable) return sum + piece.slots;
    const anew = Math.max(piece.asideMost, ...piece.copies.map((way) => way.most));
    return sum + Math.max(0, anew, ...piece.shrinks.map((way) => way.most));
  }, 0);
  const target = board.pieces[board.target]!;
  return target.sectors + (unallocatedSlots(board) + spare) * board.slot;
}
