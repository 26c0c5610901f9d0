import type { Intent } from '../../steps';
import { listAssignments } from './assign';
import { MAX_TARGET_MOVES, countLeastStepsToFill, type Bound } from './bound';
import { Bounds } from './bounds';
import { bringBack, ended } from './endings';
import { expand } from './expand';
import { intentsOf } from './intents';
import { extenders, type SearchProblem } from './searchProblem';
import type { SearchContext } from './context';
import { CHECK_EVERY, contextOf, MAX_STEPS, startOf, type Budget, type Variant } from './search';
import { findLeastPlaces, findWidest } from './differenceConstraints';
import { bit, type Skeleton } from './skeleton';
import { countUnallocatedSlots } from './slackLimits';
import { Walls } from './walls';

/**
 * What a skeleton that is only held against its bounds takes of the budget, as a share of one that is looked at.
 * Nothing is beaten here, so each is: where room lies on both sides of the target there are hundreds to one, and they
 * are what takes the time.
 */
const CHILD = 0.5;

/** Place of the largest size: a skeleton in which the target only has to be extended. */
interface Found {
  variant: Variant;
  at: Skeleton;
  targetMoves: boolean;
}

/** The most that was found, in sectors, and ways to it: several where more than one amount of each donor does. */
export interface LargestSize {
  most: number;
  ways: Intent[][];
}

/**
 * A size in sectors as it may be offered: brought down to an end that a partition may have, where the target moves or
 * not.
 */
export type Offered = (sectors: number, targetMoves: boolean) => number;

/**
 * The most sectors that the target can end with in these search problems in up to {@link MAX_STEPS} steps, at least
 * `atLeast`. Stops at `enough`, beyond which nothing can come.
 */
export function searchLargest(
  variants: readonly Variant[],
  atLeast: number,
  enough: number,
  budget: Budget,
  offered: Offered,
): LargestSize {
  const best: { most: number; found: Found | null } = { most: atLeast, found: null };
  for (let limit = 1; limit <= MAX_STEPS && best.most < enough; limit++) {
    const finished = variants.every((variant) =>
      [false, true].every((targetMoves) =>
        deeper(variant, targetMoves, limit, best, enough, budget, offered),
      ),
    );
    if (!finished) break;
  }
  const most = Math.min(best.most, enough);
  return { most, ways: best.found ? waysTo(best.found, most) : [] };
}

/** Looks at everything with exactly so many steps. @returns false where the budget ran out */
function deeper(
  variant: Variant,
  targetMoves: boolean,
  limit: number,
  best: { most: number; found: Found | null },
  enough: number,
  budget: Budget,
  offered: Offered,
): boolean {
  const { problem } = variant;
  const asks = { limit, most: limit, usual: false, isDominated: () => false };
  const first = contextOf(variant, best.most + 1);
  const context = (): SearchContext => ({ ...first, aim: { ...first.aim, goal: best.most + 1 } });
  let asked = -1;
  let visited = 0;
  let bounds: Bounds;
  const openBoundsOf = (at: Skeleton, among: readonly Bound[] | null): readonly Bound[] => {
    if (asked !== best.most) {
      bounds = new Bounds(context(), new Walls(context()), targetMoves, asks);
    }
    asked = best.most;
    return bounds.of(at, among);
  };
  const visit = (at: Skeleton, openBounds: readonly Bound[]): boolean => {
    if (best.most >= enough) return true;
    if (--budget.nodes < 0) return false;
    if (++visited % CHECK_EVERY === 0 && budget.stopped()) return false;
    const here = offered(largestHere(context(), at, targetMoves), targetMoves);
    if (here > best.most) Object.assign(best, { most: here, found: { variant, at, targetMoves } });
    const children = expand(context(), at, {
      targetMoves: targetMoves && at.targetMoves < MAX_TARGET_MOVES,
      may: (block, cost, freed) =>
        at.steps + cost.steps + countLeastStepsToFill(problem, freed, at.pending.length) < limit &&
        openBounds.some(({ walls }) => (walls & bit(block.id)) === 0),
    });
    budget.nodes -= children.length * CHILD;
    for (const child of children) {
      const still = openBoundsOf(child, openBounds);
      if (still.length > 0 && !visit(child, still)) return false;
    }
    return true;
  };
  const root = startOf(variant, first.aim);
  return visit(root, openBoundsOf(root, null));
}

/** Every way in which a skeleton can be finished: what is pending comes back, the target is extended. */
function* endsOf(context: SearchContext, at: Skeleton, targetMoves: boolean): Generator<Skeleton> {
  const { problem, limits } = context;
  if (targetMoves && at.targetMoves === 0) return;
  const tools = extenders(problem, (at.decrypted & (1 << problem.target)) !== 0);
  const open = ended(context, at, tools);
  for (let end = open.pop(); end; end = open.pop()) {
    if (end.steps > MAX_STEPS || !findLeastPlaces(end.edges, end.count, limits.all)) continue;
    if (end.pending.length > 0) open.push(...bringBack(context, end));
    else yield end;
  }
}

/**
 * What the steps to the most mean to do, where the skeleton says it can be had: each donor gives what is needed of it.
 */
function waysTo({ variant, at, targetMoves }: Found, most: number): Intent[][] {
  const context = contextOf(variant, most);
  const { problem, aim } = context;
  const grown = Math.ceil((most - problem.blocks[problem.target]!.sectors) / problem.slot);
  for (const end of endsOf(context, at, targetMoves)) {
    for (let donors = 0; end.steps + donors <= MAX_STEPS; donors++) {
      const [assignment] = listAssignments(context, end, donors, grown, () => true);
      if (!assignment) continue;
      const ways = (['least', 'greatest'] as const)
        .flatMap((side) =>
          (['wide', 'least'] as const).map((widening) =>
            intentsOf(problem, aim, assignment, variant.prelude, side, widening),
          ),
        )
        .filter((intents) => intents !== null);
      if (ways.length > 0) return ways;
    }
  }
  return [];
}

/** The most that the target can take where the skeleton stands, 0 where it can't be finished here. */
function largestHere(context: SearchContext, at: Skeleton, targetMoves: boolean): number {
  let most = 0;
  for (const end of endsOf(context, at, targetMoves)) most = Math.max(most, roomFor(context, end));
  return most;
}

/** Largest size of the target in a finished skeleton, within the steps that are left for shrinking. */
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
  // The largest donors are taken where fewer shrinks fit in than there are donors.
  const used = named.sort((a, b) => limits.all[b]! - limits.all[a]!).slice(0, MAX_STEPS - at.steps);
  const amounts = limits.free.slice();
  for (const slack of used) amounts[slack] = limits.all[slack]!;
  if (!findLeastPlaces(at.edges, at.count, amounts)) return 0;
  if (place < 0 && right < 0) return stop - gap * slot - target.first;
  if (place < 0) {
    const first = findWidest(at.edges, at.count, amounts, 0, right);
    return (first - gap) * slot - target.first;
  }
  if (right < 0) return stop - (findLeastPlaces(at.edges, at.count, amounts)![place]! + gap) * slot;
  return (findWidest(at.edges, at.count, amounts, place, right) - gap) * slot;
}

/**
 * The most that any way at all could give the target, in sectors: all that is unallocated, and all that others can
 * spare.
 */
export function countRoomInAll(problem: SearchProblem): number {
  const spare = problem.blocks.reduce((sum, block) => {
    if (block.deletable) return sum + block.slots;
    const anew = Math.max(block.asideMost, ...block.copies.map((way) => way.most));
    return sum + Math.max(0, anew, ...block.shrinks.map((way) => way.most));
  }, 0);
  const target = problem.blocks[problem.target]!;
  return target.sectors + (countUnallocatedSlots(problem) + spare) * problem.slot;
}
