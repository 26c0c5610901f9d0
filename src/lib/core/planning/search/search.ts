import type { Intent, PricedStep } from '../../steps';
import { either, NO_TOOLS, type ToolSet } from '../../tools';
import type { Criteria } from '../criteria';
import { idleOf, MOST_TARGET_MOVES, takers, type Bound } from './bound';
import { Bounds } from './bounds';
import { broughtBack, expand, extended, type Cost } from './expand';
import type { ParetoFront } from './front';
import { intentsOf, type Prelude } from './intents';
import { extenders, type Board, type Piece } from './pieces';
import { reachOf, type Reach } from './reach';
import { settlements, type Settlement } from './settle';
import {
  afterStep,
  AS_FOUND,
  behindWindows,
  bit,
  endRelief,
  leastRestarts,
  rootOf,
  type Aim,
  type Skeleton,
} from './skeleton';
import { leastPlaces, NONE } from './tension';
import { Walls } from './walls';

/** Steps that a route may have for the promise of completeness. */
export const MOST_STEPS = 8;

/** When to give up: so many skeletons, or when `stopped` says so. */
export interface Budget {
  nodes: number;
  /** Steps that a route may have; at most {@link MOST_STEPS}. */
  steps: number;
  stopped: () => boolean;
}

export interface Variant {
  board: Board;
  prelude: Prelude;
  /** Slots by which the disk may be enlarged; 0: not at all. */
  enlarge: number;
  /** What the held shrinks of the prelude come to. */
  held: readonly PricedStep[];
  /** Steps and bytes of the prelude. */
  steps: number;
  bytes: number;
}

export const CHECK_EVERY = 32;
const NOTHING = { steps: 0, bytes: 0, exposed: 0 };

/**
 * All unbeaten routes of up to {@link MOST_STEPS} steps on the board, into `front`. Skeletons are looked at by
 * rising number of steps; one is left out only where a bound says that all that can become of it is beaten, or
 * that the same comes up elsewhere (docs/planner.md).
 * @returns false where the budget ran out first
 */
export function searchFront(
  variants: readonly Variant[],
  goal: number,
  front: ParetoFront<unknown>,
  take: (intents: Intent[]) => void,
  budget: Budget,
): boolean {
  const places = variants.map((variant) => placeOf(variant, goal));
  for (let limit = 1; limit <= budget.steps; limit++) {
    for (const place of places) {
      for (const targetMoves of [false, true]) {
        const search = new Search(place, front, take, budget, limit, targetMoves);
        if (!search.run()) return false;
      }
    }
  }
  return true;
}

/** A board with a goal, and all that can be said of it beforehand. */
interface Place {
  variant: Variant;
  aim: Aim;
  reach: Reach;
  walls: Walls;
}

function placeOf(variant: Variant, goal: number): Place {
  const { board, enlarge } = variant;
  const aim = { goal, end: enlarge > 0 ? 1 : AS_FOUND };
  const reach = reachOf(board, enlarge);
  return { variant, aim, reach, walls: new Walls(board, aim, reach) };
}

class Search {
  private readonly variant: Variant;
  private readonly board: Board;
  private readonly aim: Aim;
  private readonly reach: Reach;
  private readonly grown: number;
  private readonly bounds: Bounds;
  /** Used again and again: the search asks more often than anything else whether something is beaten. */
  private readonly least: Criteria = {
    bytesCopied: 0,
    exposedBytes: 0,
    restarts: 0,
    steps: 0,
    idle: 0,
    givesUp: 0,
  };
  private known: { at: Skeleton | null; tools: ToolSet; waiting: ToolSet; restarts: number } = {
    at: null,
    tools: NO_TOOLS,
    waiting: NO_TOOLS,
    restarts: 0,
  };

  constructor(
    place: Place,
    private readonly front: ParetoFront<unknown>,
    private readonly offer: (intents: Intent[]) => void,
    private readonly budget: Budget,
    private readonly limit: number,
    private readonly targetMoves: boolean,
  ) {
    const { variant, aim, reach, walls } = place;
    this.variant = variant;
    this.board = variant.board;
    this.aim = aim;
    this.reach = reach;
    this.bounds = new Bounds(this.board, aim, reach, walls, targetMoves, {
      limit,
      isDominated: (least) => front.isDominated(least),
    });
    this.grown = Math.ceil((aim.goal - this.board.pieces[this.board.target]!.sectors) / this.board.slot);
  }

  run(): boolean {
    const target = this.board.pieces[this.board.target]!;
    if (this.targetMoves && either(target.movers, target.moversOnceDecrypted) === NO_TOOLS) return true;
    const root = startOf(this.variant, this.aim);
    const hopes = this.bounds.of(root, null);
    return hopes.length === 0 || this.visit(root, hopes);
  }

  private visit(at: Skeleton, hopes: readonly Bound[]): boolean {
    if (--this.budget.nodes < 0) return false;
    if (this.budget.nodes % CHECK_EVERY === 0 && this.budget.stopped()) return false;
    this.finish(at, hopes);
    if (at.steps >= this.limit) return true;
    const children = expand(this.board, this.aim, at, {
      reach: this.reach,
      targetMoves: this.targetMoves && at.targetMoves < MOST_TARGET_MOVES,
      may: (piece, cost, freed) => this.hoped(at, hopes, piece, cost, freed),
    });
    for (const child of children) {
      const still = this.bounds.of(child, hopes);
      if (still.length > 0 && !this.visit(child, still)) return false;
    }
    return true;
  }

  /** Whether one of the hopes outlives a step, before the skeleton with it is made. */
  private hoped(at: Skeleton, hopes: readonly Bound[], piece: Piece, cost: Cost, freed: number): boolean {
    const taking = takers(this.board, freed, at.pending.length) + 1;
    if (at.steps + cost.steps + taking > this.limit) return false;
    const restarts = this.restartsAfter(at, cost);
    const { least } = this;
    for (const hope of hopes) {
      if (hope.walls & bit(piece.id)) continue;
      // What the hope counts is not counted again.
      const more = hope.counted & bit(piece.id) ? NOTHING : cost;
      const steps = Math.max(at.steps + cost.steps + taking, hope.steps, hope.plain + more.steps);
      if (steps > this.limit) continue;
      least.bytesCopied = Math.max(at.bytes + cost.bytes, hope.bytesCopied + more.bytes);
      least.exposedBytes = Math.max(at.exposed + cost.exposed, hope.exposedBytes + more.exposed);
      least.restarts = Math.max(restarts, hope.restarts);
      least.steps = steps;
      least.idle = hope.idle;
      least.givesUp = hope.givesUp;
      if (!this.front.isDominated(least)) return true;
    }
    return false;
  }

  /** The fewest restarts with one more step; the same for every place that a piece may go to. */
  private restartsAfter(at: Skeleton, { tools, waiting }: Cost): number {
    const { known } = this;
    if (known.at !== at || known.tools !== tools || known.waiting !== waiting) {
      const restarts = Math.min(...afterStep(this.board, at.restarts, tools, waiting));
      this.known = { at, tools, waiting, restarts };
    }
    return this.known.restarts;
  }

  /** Extends the target here, if that can be, and brings back what is pending. */
  private finish(at: Skeleton, among: readonly Bound[]): void {
    if (this.targetMoves && at.targetMoves === 0) return;
    const decrypted = (at.decrypted & (1 << this.board.target)) !== 0;
    const tools = extenders(this.board, decrypted);
    if (tools === NO_TOOLS) return;
    const next = extended(this.board, this.aim, at, tools);
    if (next) this.complete(next, among);
  }

  private complete(at: Skeleton, among: readonly Bound[]): void {
    if (at.steps > this.limit || !leastPlaces(at.edges, at.count, this.reach.all)) return;
    if (at.pending.length > 0) {
      for (const child of broughtBack(this.board, this.aim, at)) this.complete(child, among);
      return;
    }
    if (at.freed !== 0) return;
    if (this.bounds.of(at, among).length === 0) return;
    const donors = this.limit - at.steps;
    const fixed = {
      exposedBytes: at.exposed,
      restarts: leastRestarts(at),
      steps: this.limit,
      givesUp: behindWindows(this.board, at) ? 0 : 1,
    } as const;
    const wanted = (bytesCopied: number, given: number): boolean => {
      const least: Criteria = {
        ...fixed,
        bytesCopied,
        idle: idleOf(this.board, this.aim, this.reach, given),
      };
      return !this.front.isDominated(least);
    };
    for (const settlement of settlements(this.board, at, this.reach, donors, this.grown, wanted)) {
      if (wanted(settlement.bytes, settlement.given)) this.take(settlement);
    }
  }

  private take(settlement: Settlement): void {
    for (const side of ['least', 'greatest'] as const) {
      const intents = intentsOf(this.board, this.aim, settlement, this.variant.prelude, side);
      if (intents) this.offer(intents);
    }
  }
}

/** The root of a variant: what its prelude costs is counted, and the disk's end stands where it may. */
export function startOf(variant: Variant, aim: Aim): Skeleton {
  const root = rootOf(variant.board);
  const from = { ...root, steps: variant.steps, bytes: variant.bytes };
  const held = variant.held.reduce(
    (restarts, { tools, waiting }) => afterStep(variant.board, restarts, tools, waiting),
    root.restarts as number[],
  );
  if (aim.end === AS_FOUND) return { ...from, restarts: held };
  const { board } = variant;
  const stop = Math.floor(board.area.end / board.slot);
  const edges = [
    { from: aim.end, to: 0, rigid: -stop, loose: -stop, relief: endRelief(board) },
    { from: 0, to: aim.end, rigid: stop, loose: stop, relief: NONE },
  ];
  return { ...from, restarts: held, edges, count: 2 };
}
