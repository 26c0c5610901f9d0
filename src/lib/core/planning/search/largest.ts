import { NO_TOOLS } from '../../tools';
import { MOST_TARGET_MOVES, minStepsToFill, type Bound } from './bound';
import { Bounds } from './bounds';
import { broughtBack, expand, extended } from './expand';
import { extenders, type SearchProblem } from './searchProblem';
import type { SearchContext } from './context';
import { CHECK_EVERY, contextOf, MOST_STEPS, startOf, type Budget, type Variant } from './search';
import { leastPlaces, widest } from './differenceConstraints';
import { bit, type Skeleton } from './skeleton';
import { unallocatedSlots } from './slackLimits';
import { Walls } from './walls';

/**
 * The most sectors that the target can end with in these search problems in up to {@link MOST_STEPS} steps, at least
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

/** The most with exactly so many steps. */
function deeper(
  variant: Variant,
  targetMoves: boolean,
  limit: number,
  atLeast: number,
  enough: number,
  budget: Budget,
): { best: number; finished: boolean } {
  const { problem } = variant;
  let best = atLeast;
  const asks = { limit, isDominated: () => false };
  const first = contextOf(variant, best + 1);
  const context = (): SearchContext => ({ ...first, aim: { ...first.aim, goal: best + 1 } });
  let asked = -1;
  let bounds: Bounds;
  const openBoundsOf = (at: Skeleton, among: readonly Bound[] | null): readonly Bound[] => {
    if (asked !== best) {
      bounds = new Bounds(context(), new Walls(context()), targetMoves, asks);
    }
    asked = best;
    return bounds.of(at, among);
  };
  const visit = (at: Skeleton, openBounds: readonly Bound[]): boolean => {
    if (best >= enough) return true;
    if (--budget.nodes < 0) return false;
    if (budget.nodes % CHECK_EVERY === 0 && budget.stopped()) return false;
    best = Math.max(best, largestHere(context(), at, targetMoves));
    const children = expand(context(), at, {
      targetMoves: targetMoves && at.targetMoves < MOST_TARGET_MOVES,
      may: (block, cost, freed) =>
        at.steps + cost.steps + minStepsToFill(problem, freed, at.pending.length) < limit &&
        openBounds.some(({ walls }) => (walls & bit(block.id)) === 0),
    });
    for (const child of children) {
      const still = openBoundsOf(child, openBounds);
      if (still.length > 0 && !visit(child, still)) return false;
    }
    return true;
  };
  const root = startOf(variant, first.aim);
  const finished = visit(root, openBoundsOf(root, null));
  return { best, finished };
}

/** The most that the target can take where the skeleton stands, 0 where it can't be finished here. */
function largestHere(context: SearchContext, at: Skeleton, targetMoves: boolean): number {
  const { problem, limits } = context;
  if (targetMoves && at.targetMoves === 0) return 0;
  const tools = extenders(problem, (at.decrypted & (1 << problem.target)) !== 0);
  if (tools === NO_TOOLS) return 0;
  const done = extended(context, at, tools);
  if (!done) return 0;
  let most = 0;
  const finish = (end: Skeleton): void => {
    if (end.steps > MOST_STEPS || !leastPlaces(end.edges, end.count, limits.all)) return;
    if (end.pending.length > 0) return broughtBack(context, end).forEach(finish);
    most = Math.max(most, roomFor(context, end));
  };
  finish(done);
  return most;
}

/** How large the target can be in a finished skeleton, within the steps that are left for shrinking. */
function roomFor({ problem, aim, limits }: SearchContext, at: Skeleton): number {
  const { slot } = problem;
  const target = problem.blocks[problem.target]!;
  const index = at.order.indexOf(problem.target);
  const next = at.order[index + 1];
  const place = at.place[problem.target]!;
  const right = next === undefined ? aim.end : at.place[next]!;
  const gap = next !== undefined && problem.blocks[next]!.kind === 'logical' ? 1 : 0;
  const stop = next === undefined ? problem.area.end : problem.blocks[next]!.first;
  const named = [...new Set(at.edges.map((edge) => edge.slack))].filter(
    (slack) => slack >= 0 && slack < problem.blocks.length,
  );
  // Where fewer shrinks fit in than there are donors, the largest are taken.
  const used = named.sort((a, b) => limits.all[b]! - limits.all[a]!).slice(0, MOST_STEPS - at.steps);
  const amounts = limits.free.slice();
  for (const slack of used) amounts[slack] = limits.all[slack]!;
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
export function roomInAll(problem: SearchProblem): number {
  const spare = problem.blocks.reduce((sum, block) => {
    if (block.deletable) return sum + block.slots;
    const anew = Math.max(block.asideMost, ...block.copies.map((way) => way.most));
    return sum + Math.max(0, anew, ...block.shrinks.map((way) => way.most));
  }, 0);
  const target = problem.blocks[problem.target]!;
  return target.sectors + (unallocatedSlots(problem) + spare) * problem.slot;
}
