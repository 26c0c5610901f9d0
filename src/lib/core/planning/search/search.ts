import { idleOf, MOST_TARGET_MOVES, takers, type Bound } from './bound';
import { Bounds } from './bounds';
import { reachOf, unallocatedSlots, type Reach } from './reach';
import { broughtBack, expand, extended, type Cost } from './expand';
import type { Front } from './front';
import { type Member, type Vector } from './front';
import { stepsOf, type Choice, type Prelude } from './materialize';
import { extenders, type Board, type Piece } from './pieces';
import { settlements, type Settlement } from './settle';
import {
  afterStep,
  behindWindows,
  bit,
  leastRestarts,
  endRelief,
  rootOf,
  type Aim,
  type Skeleton,
} from './skeleton';
import { leastPlaces, NONE, widest } from './tension';
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

/** A route found, its tools still open. */
export interface Found {
  choices: Choice[];
  vector: Vector;
}

/** Judges a list of steps: their exact criteria and rank, or null where they are no route. */
export type Judge = (choices: Choice[]) => { vector: Vector; rank: Member<Found>['rank'] } | null;

export interface Variant {
  board: Board;
  prelude: Prelude;
  /** Slots by which the disk may be enlarged; 0: not at all. */
  enlarge: number;
  /** Steps and bytes of the prelude. */
  steps: number;
  bytes: number;
}

const CHECK_EVERY = 32;
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
  front: Front<Found>,
  judge: Judge,
  budget: Budget,
): boolean {
  const places = variants.map((variant) => placeOf(variant, goal));
  for (let limit = 1; limit <= budget.steps; limit++) {
    for (const place of places) {
      for (const targetMoves of [false, true]) {
        const search = new Search(place, front, judge, budget, limit, targetMoves);
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
  const aim = { goal, end: enlarge > 0 ? 1 : -1 };
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

  constructor(
    place: Place,
    private readonly front: Front<Found>,
    private readonly judge: Judge,
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
      closes: (least) => front.closes(least),
    });
    this.grown = Math.ceil((aim.goal - this.board.pieces[this.board.target]!.sectors) / this.board.slot);
  }

  run(): boolean {
    const target = this.board.pieces[this.board.target]!;
    if (this.targetMoves && (target.movers | target.moversOnceDecrypted) === 0) return true;
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
    // Those of which much can become come first: what they lead to closes others.
    const promising = children
      .map((child) => ({ child, bounds: this.bounds.of(child, hopes) }))
      .filter(({ bounds }) => bounds.length > 0)
      .sort((a, b) => b.bounds.length - a.bounds.length || a.child.bytes - b.child.bytes);
    for (const { child, bounds } of promising) {
      // What was found meanwhile may have closed some.
      const still = bounds.filter((bound) => !this.closed(bound));
      if (still.length === 0) continue;
      if (!this.visit(child, still)) return false;
    }
    return true;
  }

  private closed({ bytes, exposed, restarts, steps, idle, givesUp }: Bound): boolean {
    return this.front.closes([bytes, exposed, restarts, steps, idle, givesUp]);
  }

  /** Whether one of the hopes outlives a step, before the skeleton with it is made. */
  private hoped(at: Skeleton, hopes: readonly Bound[], piece: Piece, cost: Cost, freed: number): boolean {
    const taking = takers(this.board, freed, at.pending.length) + 1;
    if (at.steps + cost.steps + taking > this.limit) return false;
    const restarts = Math.min(...afterStep(this.board, at.restarts, cost.tools, cost.waiting));
    return hopes.some((hope) => {
      if (hope.walls & bit(piece.id)) return false;
      // What the hope counts is not counted again.
      const more = hope.counted & bit(piece.id) ? NOTHING : cost;
      const steps = Math.max(at.steps + cost.steps + taking, hope.steps, hope.plain + more.steps);
      if (steps > this.limit) return false;
      const bytes = Math.max(at.bytes + cost.bytes, hope.bytes + more.bytes);
      const exposed = Math.max(at.exposed + cost.exposed, hope.exposed + more.exposed);
      const { idle, givesUp } = hope;
      return !this.front.closes([bytes, exposed, Math.max(restarts, hope.restarts), steps, idle, givesUp]);
    });
  }

  /** Extends the target here, if that can be, and brings back what is pending. */
  private finish(at: Skeleton, among: readonly Bound[]): void {
    if (this.targetMoves && at.targetMoves === 0) return;
    const decrypted = (at.decrypted & (1 << this.board.target)) !== 0;
    const tools = extenders(this.board, decrypted);
    if (tools === 0) return;
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
    const givesUp = behindWindows(this.board, at) ? 0 : 1;
    const restarts = leastRestarts(at);
    const wanted = (bytes: number, given: number): boolean => {
      const idle = idleOf(this.board, this.aim, this.reach, given);
      return !this.front.closes([bytes, at.exposed, restarts, this.limit, idle, givesUp]);
    };
    for (const settlement of settlements(this.board, at, this.reach, donors, this.grown, wanted)) {
      if (wanted(settlement.bytes, settlement.given)) this.take(settlement);
    }
  }

  private take(settlement: Settlement): void {
    for (const side of ['least', 'greatest'] as const) {
      const choices = stepsOf(this.board, this.aim, settlement, this.variant.prelude, side);
      const judged = choices && this.judge(choices);
      if (!judged) continue;
      this.front.add({ ...judged, value: { choices, vector: judged.vector } });
    }
  }
}

/** The root of a variant: what its prelude costs is counted, and the disk's end stands where it may. */
function startOf(variant: Variant, aim: Aim): Skeleton {
  const root = rootOf(variant.board);
  const from = { ...root, steps: variant.steps, bytes: variant.bytes };
  const held = variant.prelude.held.reduce(
    (restarts, choice) => afterStep(variant.board, restarts, choice.tools, choice.waiting),
    root.restarts as number[],
  );
  if (aim.end < 0) return { ...from, restarts: held };
  const { board } = variant;
  const stop = Math.floor(board.area.end / board.slot);
  const edges = [
    { from: aim.end, to: 0, rigid: -stop, loose: -stop, relief: endRelief(board) },
    { from: 0, to: aim.end, rigid: stop, loose: stop, relief: NONE },
  ];
  return { ...from, restarts: held, edges, count: 2 };
}

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
  const asks = { limit, closes: () => false };
  const aim = (): Aim => ({ goal: best + 1, end: variant.enlarge > 0 ? 1 : -1 });
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
  if (tools === 0) return 0;
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
export function roomInAll(board: Board, enlarge: number): number {
  const spare = board.pieces.reduce((sum, piece) => {
    if (piece.deletable) return sum + piece.slots;
    const anew = Math.max(piece.asideMost, ...piece.copies.map((way) => way.most));
    return sum + Math.max(0, anew, ...piece.shrinks.map((way) => way.most));
  }, 0);
  const target = board.pieces[board.target]!;
  return target.sectors + (unallocatedSlots(board) + spare + enlarge) * board.slot;
}
