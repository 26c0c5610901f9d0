import type { Ask } from './ask';
import { idleOf, MOST_TARGET_MOVES, takers, type Asks, type Bound } from './bound';
import { copyingsOf, type Copying } from './copyings';
import { either, NO_TOOLS } from '../../tools';
import type { Criteria } from '../criteria';
import { countBits, greater, lowest, type Fit } from './packing';
import type { Board, Piece } from './pieces';
import type { Reach } from './reach';
import { AS_FOUND, afterStep, bit, leastRestarts, unmovedOf, type Aim, type Skeleton } from './skeleton';
import { givenBeside, givenByCopy } from './space';
import type { Walls } from './walls';
import { cheapestWayOut, staysAround, type Cost } from './ways';

/** A set of walls with what it costs that all others go, without what donors give for it. */
interface Candidate {
  walls: number;
  movers: number;
  steps: number;
  bytes: number;
}

const FREE: Cost = { steps: 0, bytes: 0 };

/** One skeleton, looked at. */
export class Look {
  readonly found: Bound[] = [];
  private readonly target: Piece;
  private readonly unmoved: number;
  private readonly ways: (Cost | null | undefined)[] = [];
  private readonly restarts: number[] = [];
  private readonly soFar: number;
  private readonly taking: number;
  private readonly base: number;
  private known: { copyings: readonly Copying[]; given: number } | null = null;

  constructor(
    private readonly board: Board,
    private readonly aim: Aim,
    private readonly reach: Reach,
    private readonly targetMoves: boolean,
    private readonly asks: Asks,
    private readonly walls: Walls,
    private readonly at: Skeleton,
  ) {
    this.target = board.pieces[board.target]!;
    this.unmoved = unmovedOf(at);
    this.soFar = leastRestarts(at);
    this.taking = takers(board, at.freed, at.pending.length);
    this.base = at.steps + (at.extended ? 0 : 1);
  }

  /** The sets of walls that something may come of, by their steps and bytes alone: of those given, or of all. */
  candidates(among: readonly Bound[] | null): Candidate[] {
    const found: Candidate[] = [];
    const add = (walls: number): void => {
      const candidate = this.candidate(walls);
      if (candidate) found.push(candidate);
    };
    if (among) {
      const seen = new Set<number>();
      for (const { walls } of among) {
        if (!seen.has(walls)) add(walls);
        seen.add(walls);
      }
      return found;
    }
    const each = (walls: number, rest: number, steps: number): void => {
      if (steps > this.asks.limit) return;
      if (rest === 0) return add(walls);
      const id = lowest(rest);
      each(walls, rest & ~bit(id), steps);
      const way = this.wayOf(id);
      if (way) each(walls & ~bit(id), rest & ~bit(id), steps + way.steps);
    };
    each(this.unmoved, this.unmoved, this.base);
    return found;
  }

  private candidate(walls: number): Candidate | null {
    const { at, asks, board, unmoved } = this;
    if (walls & ~unmoved) return null;
    if (at.targetMoves === 0 && this.targetMoves === ((walls & bit(board.target)) !== 0)) return null;
    const movers = unmoved & ~walls;
    let steps = this.base;
    let { bytes } = at;
    for (let rest = movers; rest; rest &= rest - 1) {
      const way = this.wayOf(lowest(rest));
      if (!way) return null;
      steps += way.steps;
      bytes += way.bytes;
    }
    const least: Criteria = {
      bytesCopied: bytes,
      exposedBytes: at.exposed,
      restarts: this.soFar,
      steps,
      idle: 0,
      givesUp: 0,
    };
    return steps > asks.limit || asks.isDominated(least) ? null : { walls, movers, steps, bytes };
  }

  /** Adds what can come of a set of walls. */
  consider({ walls, movers, steps, bytes }: Candidate, asked: Ask): void {
    const { at, board, reach } = this;
    this.known ??= {
      copyings: copyingsOf(board, at, this.walls, this.asks.limit - this.base),
      // What was shrunk and then copied is not given in the end; what the copy itself took is.
      given: at.remade === 0 ? asked.slots : (givenByCopy(board, at, reach) ?? 0),
    };
    for (const copying of this.known.copyings) {
      if (steps + copying.steps > this.asks.limit) continue;
      const free = copying.pieces & ~walls;
      if (copying.pieces !== 0 && (copying.several ? countBits(free) < 2 : free === 0)) continue;
      const soFar = { steps: steps + copying.steps, bytes };
      this.withCopying(walls, movers, soFar, copying, asked, this.known.given);
    }
  }

  /** The fewest steps and bytes by which a piece leaves its found place; null: it can't. */
  private wayOf(id: number): Cost | null {
    const known = this.ways[id];
    if (known !== undefined) return known;
    const { at, board, target } = this;
    const may = this.targetMoves && at.targetMoves < MOST_TARGET_MOVES && !at.extended;
    const movable = either(target.movers, target.moversOnceDecrypted) !== NO_TOOLS;
    const way =
      id !== board.target
        ? cheapestWayOut(at, board.pieces[id]!)
        : may && movable
          ? { steps: 1, bytes: target.moveBytes }
          : null;
    this.ways[id] = way;
    return way;
  }

  private restartsOf(id: number): number {
    const piece = this.board.pieces[id]!;
    const tools = either(piece.movers, piece.moversOnceDecrypted);
    return (this.restarts[id] ??= Math.min(
      ...afterStep(this.board, this.at.restarts, tools, piece.atRestart),
    ));
  }

  private withCopying(
    walls: number,
    movers: number,
    soFar: Cost,
    copying: Copying,
    asked: Ask,
    givenBefore: number,
  ): void {
    const { at, board, reach, target } = this;
    const { under } = copying;
    const demands = under.demands(walls);
    if (!demands.rest) return;
    const one = copying.pieces !== 0 && !copying.several ? board.pieces[lowest(copying.pieces)]! : null;
    // What moved before goes once more.
    const bytes = soFar.bytes + (one && (movers & bit(one.id)) === 0 ? one.copyBytes : 0);
    const own = one && movers & bit(one.id) ? under.clear(walls, one, true) : undefined;
    if (own === null) return;
    const past = own ? [...copying.past, own] : copying.past;
    const outside = (!at.moved && board.outside.length > 0) || this.aim.end !== AS_FOUND;
    const given = Math.max(
      copying.pieces === 0 || at.remade !== 0 ? givenBefore : 0,
      one && !outside ? givenBeside(board, at, reach, one) : 0,
    );
    let restarts = this.soFar;
    const heavy: Piece[] = [];
    for (let rest = movers & ~copying.pieces; rest; rest &= rest - 1) {
      const piece = board.pieces[lowest(rest)]!;
      if (piece !== target && !staysAround(board, at, piece)) continue;
      restarts = Math.max(restarts, this.restartsOf(piece.id));
      if (piece !== target && piece.moveBytes > 0) heavy.push(piece);
    }
    heavy.sort((a, b) => b.moveBytes - a.moveBytes);
    const clear = (piece: Piece, still: number): Fit | null => under.clear(walls | still, piece);
    /** The two heaviest movers, each over its place or clear of it; what goes first has the other still in its way. */
    const goings = ([p, q]: readonly Piece[]): { exposed: number; fits: readonly (Fit | null)[] }[] => {
      if (!p) return [{ exposed: 0, fits: [] }];
      if (!q) {
        return [
          { exposed: p.moveBytes, fits: [] },
          { exposed: 0, fits: [clear(p, 0)] },
        ];
      }
      return [
        { exposed: p.moveBytes + q.moveBytes, fits: [] },
        { exposed: q.moveBytes, fits: [clear(p, 0)] },
        { exposed: p.moveBytes, fits: [clear(q, 0)] },
        { exposed: 0, fits: [clear(p, bit(q.id)), clear(q, 0)] },
        { exposed: 0, fits: [clear(q, bit(p.id)), clear(p, 0)] },
      ];
    };
    const going = goings(heavy);
    // All steps of the bound in which something goes: each may take a room that was freed.
    const again = copying.several ? 2 : one && (movers & bit(one.id)) === 0 ? 1 : 0;
    const goes = countBits(movers) + again;
    const add = (end: Fit | null, more: Cost, overTarget: number, leap: readonly Fit[]): void => {
      if (!end) return;
      for (const { exposed, fits } of going) {
        if (fits.includes(null)) continue;
        this.add({
          walls,
          counted: movers | copying.pieces,
          going: goes + more.steps,
          cost: { steps: soFar.steps + more.steps, bytes: bytes + more.bytes },
          exposed: at.exposed + overTarget + exposed,
          fits: [end, ...past, ...leap, ...(fits as Fit[])],
          given,
          restarts,
          asked,
        });
      }
    };
    if ((movers & bit(target.id)) === 0 || target.moveBytes === 0) return add(demands.rest, FREE, 0, []);
    // Over its own place, clear of it at once, or by a leap and back.
    add(demands.rest, FREE, target.moveBytes, []);
    add(demands.once, FREE, 0, []);
    const leap = clear(target, 0);
    if (leap) add(demands.rest, { steps: 1, bytes: target.moveBytes }, 0, [leap]);
  }

  private add(so: {
    walls: number;
    counted: number;
    going: number;
    cost: Cost;
    exposed: number;
    /** All that must fit at some time: the end first. */
    fits: readonly Fit[];
    given: number;
    restarts: number;
    asked: Ask;
  }): void {
    const { board, aim, reach, asks } = this;
    const { walls, counted, going, cost, exposed, fits, restarts, asked } = so;
    const all = fits.reduce<Fit | null>((sum, fit) => (sum ? greater(sum, fit) : fit), null)!;
    const shrunk = Math.max(asked.bytes, all.bytes);
    const plain = cost.steps + all.donors;
    const steps = plain + Math.max(0, this.taking - going);
    const bytes = cost.bytes + Math.ceil(shrunk / reach.grain - 1e-6) * reach.grain;
    const idle = idleOf(board, aim, reach, Math.max(all.slots, so.given));
    const least: Criteria = { bytesCopied: bytes, exposedBytes: exposed, restarts, steps, idle, givesUp: 0 };
    if (steps <= asks.limit && !asks.isDominated(least)) this.found.push({ ...least, walls, counted, plain });
  }
}
