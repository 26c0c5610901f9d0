import type { Intent, PricedStep } from '../../steps';
import { either, NO_TOOLS, type ToolSet } from '../../tools';
import {
  anyGrowsBack,
  idleOf,
  MAX_TARGET_MOVES,
  countLeastStepsToFill,
  countStepsToEnd,
  type Bound,
} from './bound';
import { Bounds } from './bounds';
import { bringBack, copiedTarget, ended } from './endings';
import { expand } from './expand';
import type { ExpansionCost } from './expansion';
import { intentsOf, type Prelude } from './intents';
import { extenders, type SearchProblem, type Block } from './searchProblem';
import type { SearchContext } from './context';
import { slackLimitsOf, type SlackLimits } from './slackLimits';
import { listAssignments, type Assignment } from './assign';
import { growingBack } from './growingBack';
import {
  afterStep,
  AS_FOUND,
  isBehindWindows,
  bit,
  endSlack,
  countLeastRestarts,
  rootOf,
  type Aim,
  type Skeleton,
} from './skeleton';
import { countBits } from './packing';
import { orderChanges } from '../usual';
import { findLeastPlaces, NONE } from './differenceConstraints';
import { placesOf } from './usualLeast';
import { NO_LEAST, type Least, type WantedEnd } from './wanted';
import { Walls } from './walls';

/** Steps that a route may have for the promise of completeness. */
export const MAX_STEPS = 8;

/** When to give up: so many skeletons, or when `stopped` says so. */
export interface Budget {
  nodes: number;
  /** Steps that a route may have; at most {@link MAX_STEPS}. */
  steps: number;
  stopped: () => boolean;
}

export interface Variant {
  problem: SearchProblem;
  prelude: Prelude;
  /** Slots by which the disk may be enlarged; 0: not at all. */
  enlarge: number;
  /** Sum of the fixed shrinks of the prelude. */
  held: readonly PricedStep[];
  /** Steps and bytes of the prelude. */
  steps: number;
  bytes: number;
}

export const CHECK_EVERY = 32;
const NOTHING = { steps: 0, bytes: 0, exposed: 0 };

/** A search problem with a goal, and all that can be said of it beforehand, whatever is looked for. */
export interface PreparedVariant {
  variant: Variant;
  context: SearchContext;
  walls: Walls;
}

/** @param goal sectors that the target ends with */
export function prepared(variants: readonly Variant[], goal: number): PreparedVariant[] {
  return variants.map((variant) => {
    const context = contextOf(variant, goal);
    return { variant, context, walls: new Walls(context) };
  });
}

/**
 * Every route of up to {@link MAX_STEPS} steps on the search problem that is wanted, given to `take`. Skeletons are
 * looked at by rising number of steps; one is left out only where a bound says that all that can become of it is
 * beaten, or that the same comes up elsewhere (docs/planner.md).
 * @returns false where the budget ran out first
 */
export function searchFront(
  variants: readonly PreparedVariant[],
  wanted: WantedEnd,
  take: (intents: Intent[]) => boolean,
  budget: Budget,
): boolean {
  for (let limit = 1; limit <= budget.steps; limit++) {
    for (const one of variants) {
      for (const targetMoves of [false, true]) {
        const search = new Search(one, { wanted, take, budget }, limit, targetMoves);
        if (!search.run()) return false;
      }
    }
  }
  return true;
}

/** @param goal sectors that the target ends with */
export const contextOf = ({ problem, enlarge }: Variant, goal: number): SearchContext => ({
  problem,
  aim: { goal, end: enlarge > 0 ? 1 : AS_FOUND },
  limits: slackLimitsOf(problem, enlarge),
});

/** Receiver of the routes that are found, and how long the search may take. */
interface Run {
  wanted: WantedEnd;
  /** Takes a route that was found; false: it can't be carried out. */
  take: (intents: Intent[]) => boolean;
  budget: Budget;
}

class Search {
  private readonly wanted: WantedEnd;
  private readonly offer: (intents: Intent[]) => boolean;
  private readonly budget: Budget;
  private readonly variant: Variant;
  private readonly context: SearchContext;
  private readonly problem: SearchProblem;
  private readonly aim: Aim;
  private readonly limits: SlackLimits;
  private readonly grown: number;
  private readonly bounds: Bounds;
  /** One object for all questions whether something is beaten: the search asks nothing else as often. */
  private readonly least: Least = { ...NO_LEAST };
  private known: { at: Skeleton | null; tools: ToolSet; waiting: ToolSet; restarts: number } = {
    at: null,
    tools: NO_TOOLS,
    waiting: NO_TOOLS,
    restarts: 0,
  };

  constructor(
    { variant, context, walls }: PreparedVariant,
    { wanted, take, budget }: Run,
    private readonly limit: number,
    private readonly targetMoves: boolean,
  ) {
    const { problem, aim, limits } = context;
    this.wanted = wanted;
    this.offer = take;
    this.budget = budget;
    this.variant = variant;
    this.context = { ...context, usual: wanted.usual };
    this.problem = problem;
    this.aim = aim;
    this.limits = limits;
    this.bounds = new Bounds(context, walls, targetMoves, {
      limit,
      most: budget.steps,
      usual: wanted.usual,
      isDominated: (least) => wanted.isDominated(least),
    });
    this.grown = Math.ceil(
      (aim.goal - this.problem.blocks[this.problem.target]!.sectors) / this.problem.slot,
    );
  }

  run(): boolean {
    const target = this.problem.blocks[this.problem.target]!;
    const movable = either(target.movers, target.moversOnceDecrypted) !== NO_TOOLS;
    if (this.targetMoves && !movable && target.copies.length === 0) return true;
    const root = startOf(this.variant, this.aim);
    const openBounds = this.bounds.of(root, null);
    return openBounds.length === 0 || this.visit(root, openBounds);
  }

  private visit(at: Skeleton, openBounds: readonly Bound[]): boolean {
    if (--this.budget.nodes < 0) return false;
    if (this.budget.nodes % CHECK_EVERY === 0 && this.budget.stopped()) return false;
    this.finish(at, openBounds);
    if (at.steps >= this.limit) return true;
    const children = expand(this.context, at, {
      targetMoves: this.targetMoves && at.targetMoves < MAX_TARGET_MOVES,
      may: (block, cost, freed) => this.isOpenAfter(at, openBounds, block, cost, freed),
    });
    for (const child of children) {
      const still = this.bounds.of(child, openBounds);
      if (still.length > 0 && !this.visit(child, still)) return false;
    }
    return true;
  }

  /** Whether a step leaves any bound open that its skeleton had; asked before the skeleton with the step is made. */
  private isOpenAfter(
    at: Skeleton,
    openBounds: readonly Bound[],
    block: Block,
    cost: ExpansionCost,
    freed: number,
  ): boolean {
    const taking =
      countLeastStepsToFill(this.problem, freed, at.pending.length) + countStepsToEnd(this.problem, at);
    if (at.steps + cost.steps + taking > this.limit) return false;
    const restarts = this.restartsAfter(at, cost);
    const { least } = this;
    for (const bound of openBounds) {
      if (bound.walls & bit(block.id)) continue;
      // Figures of the bound are not counted again.
      const more = bound.counted & bit(block.id) ? NOTHING : cost;
      const steps = Math.max(at.steps + cost.steps + taking, bound.steps, bound.plain + more.steps);
      if (steps > this.limit) continue;
      least.bytesCopied = Math.max(at.bytes + cost.bytes, bound.bytesCopied + more.bytes);
      least.exposedBytes = Math.max(at.exposed + cost.exposed, bound.exposedBytes + more.exposed);
      least.restarts = Math.max(restarts, bound.restarts);
      least.steps = this.limit + bound.back;
      least.idle = bound.idle;
      least.givesUp = bound.givesUp;
      least.madeAnew = bound.madeAnew;
      least.bootStarts = bound.bootStarts;
      least.orderChanges = bound.orderChanges;
      if (!this.wanted.isDominated(least)) return true;
    }
    return false;
  }

  /** The fewest restarts with one more step; the same for every place that a block may go to. */
  private restartsAfter(at: Skeleton, { tools, waiting }: ExpansionCost): number {
    const { known } = this;
    if (known.at !== at || known.tools !== tools || known.waiting !== waiting) {
      const restarts = Math.min(...afterStep(this.problem, at.restarts, tools, waiting));
      this.known = { at, tools, waiting, restarts };
    }
    return this.known.restarts;
  }

  /**
   * Ends a skeleton here: the target is extended or copied to a larger volume, and what is pending comes back, if that
   * can be.
   */
  private finish(at: Skeleton, among: readonly Bound[]): void {
    if (this.targetMoves) for (const copied of copiedTarget(this.context, at)) this.complete(copied, among);
    if (this.targetMoves && at.targetMoves === 0) return;
    const decrypted = (at.decrypted & (1 << this.problem.target)) !== 0;
    for (const next of ended(this.context, at, extenders(this.problem, decrypted)))
      this.complete(next, among);
  }

  private complete(at: Skeleton, among: readonly Bound[]): void {
    if (at.steps > this.limit || !findLeastPlaces(at.edges, at.count, this.limits.all)) return;
    if (at.pending.length > 0) {
      for (const child of bringBack(this.context, at)) this.complete(child, among);
      return;
    }
    // Room behind a donor may be taken by that one in the end.
    if (at.freed & ~this.problem.growable) return;
    const open = this.bounds.of(at, among);
    if (open.length > 0) this.settle(at, anyGrowsBack(this.problem));
  }

  /**
   * Settles the amounts of a finished skeleton, with as many shrinks as there are steps left.
   * @param back donors may take back in steps of their own what they gave for a while only
   */
  private settle(at: Skeleton, back: boolean): void {
    const donors = this.limit - at.steps;
    const { least } = this;
    const wantedOf = (skeleton: Skeleton, bytesCopied: number, steps: number, given: number): boolean => {
      Object.assign(least, NO_LEAST, {
        bytesCopied,
        exposedBytes: skeleton.exposed,
        restarts: countLeastRestarts(skeleton),
        steps,
        idle: idleOf(this.problem, this.aim, this.limits, given),
        givesUp: isBehindWindows(this.problem, skeleton) ? 0 : 1,
        madeAnew: skeleton.madeAnew,
        bootStarts: countBits(skeleton.booted),
        orderChanges: this.wanted.usual ? orderChanges(placesOf(this.problem, skeleton.order)) : 0,
      });
      return !this.wanted.isDominated(least);
    };
    const asked = (bytes: number, given: number): boolean => wantedOf(at, bytes, this.limit, given);
    const wanted = (bytes: number, given: number): boolean =>
      asked(bytes, given) || (back && wantedOf(at, bytes, this.limit + 1, this.grown));
    for (const assignment of listAssignments(this.context, at, donors, this.grown, wanted)) {
      const { bytes, given } = assignment;
      if (at.freed === 0 && asked(bytes, given)) this.take(assignment);
      if (!back || (at.freed === 0 && given <= this.grown)) continue;
      const again = growingBack(this.context, at, assignment, {
        grown: this.grown,
        wanted: (copied, growing, left) =>
          this.limit + growing <= this.budget.steps && wantedOf(at, copied, this.limit + growing, left),
      });
      for (const one of again) this.take(one);
    }
  }

  private take(assignment: Assignment): void {
    for (const side of ['least', 'greatest'] as const) {
      // Where the target is extended twice, the first time takes all the room there is, unless something has to pass
      // there afterwards.
      for (const widening of assignment.skeleton.widened > 0
        ? (['wide', 'least'] as const)
        : (['least'] as const)) {
        const intents = intentsOf(this.problem, this.aim, assignment, this.variant.prelude, side, widening);
        if (intents && this.offer(intents)) break;
      }
    }
  }
}

/** The root of a variant: what its prelude costs is counted, and the disk's end stands where it may. */
export function startOf(variant: Variant, aim: Aim): Skeleton {
  const root = rootOf(variant.problem);
  const from = { ...root, steps: variant.steps, bytes: variant.bytes };
  const held = variant.held.reduce(
    (restarts, { tools, waiting }) => afterStep(variant.problem, restarts, tools, waiting),
    root.restarts as number[],
  );
  if (aim.end === AS_FOUND) return { ...from, restarts: held };
  const { problem } = variant;
  const stop = Math.floor(problem.area.end / problem.slot);
  const edges = [
    { from: aim.end, to: 0, weight: -stop, relaxedWeight: -stop, slack: endSlack(problem) },
    { from: 0, to: aim.end, weight: stop, relaxedWeight: stop, slack: NONE },
  ];
  return { ...from, restarts: held, edges, count: 2 };
}
