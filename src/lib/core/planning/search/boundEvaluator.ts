import type { DonorBound } from './donorLowerBound';
import {
  countStepsToEnd,
  idleOf,
  MAX_TARGET_MOVES,
  countLeastStepsToFill,
  type Asks,
  type Bound,
} from './bound';
import { copyingsOf, type Copying } from './copyings';
import { either, NO_TOOLS } from '../../tools';
import { countBits, greater, lowest, type PackingBound } from './packing';
import type { SearchContext } from './context';
import type { SearchProblem, Block } from './searchProblem';
import type { SlackLimits } from './slackLimits';
import { AS_FOUND, afterStep, bit, countLeastRestarts, unmovedOf, type Aim, type Skeleton } from './skeleton';
import { countGivenBeside, countGivenByCopy } from './space';
import { usualLeast, type UsualLeast } from './usualLeast';
import { NO_LEAST, type Least } from './wanted';
import type { Walls } from './walls';
import { findCheapestWayOut, staysAround, type WayCost } from './ways';

/** A set of walls with what it costs that all others go, without what donors give for it. */
interface Candidate {
  walls: number;
  movers: number;
  steps: number;
  bytes: number;
}

const FREE: WayCost = { steps: 0, bytes: 0 };

/** Works out the bounds of one skeleton. */
export class BoundEvaluator {
  readonly found: Bound[] = [];
  private readonly problem: SearchProblem;
  private readonly aim: Aim;
  private readonly limits: SlackLimits;
  private readonly target: Block;
  private readonly unmoved: number;
  private readonly ways: (WayCost | null | undefined)[] = [];
  private readonly restarts: number[] = [];
  private readonly soFar: number;
  private readonly taking: number;
  private readonly base: number;
  private readonly usual: UsualLeast | null;
  private readonly growsBack: boolean;
  private readonly least: Least = { ...NO_LEAST };
  private known: { copyings: readonly Copying[]; given: number } | null = null;

  constructor(
    { problem, aim, limits }: SearchContext,
    private readonly walls: Walls,
    private readonly targetMoves: boolean,
    private readonly asks: Asks,
    private readonly at: Skeleton,
  ) {
    this.problem = problem;
    this.aim = aim;
    this.limits = limits;
    this.target = problem.blocks[problem.target]!;
    this.unmoved = unmovedOf(at);
    this.soFar = countLeastRestarts(at);
    this.taking = countLeastStepsToFill(problem, at.freed, at.pending.length);
    this.base = at.steps + countStepsToEnd(problem, at);
    this.growsBack = problem.growable !== 0;
    this.usual = asks.usual ? usualLeast(problem, at, asks.limit - this.base, walls.orderKept) : null;
  }

  /**
   * The sets of walls that are not ruled out by steps and moved bytes alone: among those given, or among all there are.
   */
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
    /** Each one stays or goes; once those that go are too dear already, it makes no difference which others do. */
    const each = (walls: number, rest: number, steps: number, bytes: number, restarts: number): void => {
      if (rest === 0) return add(walls);
      const id = lowest(rest);
      each(walls, rest & ~bit(id), steps, bytes, restarts);
      const way = this.wayOf(id);
      if (!way) return;
      const more = { steps: steps + way.steps, bytes: bytes + way.bytes };
      const waits = Math.max(restarts, this.restartsIfMoved(id));
      if (more.steps > this.asks.limit || this.isTooDear(more, waits)) return;
      each(walls & ~bit(id), rest & ~bit(id), more.steps, more.bytes, waits);
    };
    each(this.unmoved, this.unmoved, this.base, this.at.bytes, this.soFar);
    return found;
  }

  private isTooDear({ steps, bytes }: WayCost, restarts: number, given = 0): boolean {
    const { least, at } = this;
    least.bytesCopied = bytes;
    least.exposedBytes = at.exposed;
    least.restarts = restarts;
    least.steps = Math.max(steps, this.asks.limit);
    least.madeAnew = this.usual ? at.madeAnew : 0;
    least.idle = given > 0 ? idleOf(this.problem, this.aim, this.limits, given) : 0;
    return this.asks.isDominated(least);
  }

  /**
   * Restarts if a block leaves its place, where it can only be moved; in the usual order, where all else comes after
   * that anyway.
   */
  private restartsIfMoved(id: number): number {
    const block = this.problem.blocks[id]!;
    const moved = either(block.movers, block.moversOnceDecrypted) !== NO_TOOLS;
    const alone = this.usual
      ? !block.deletable
      : block.copies.length === 0 && staysAround(this.problem, this.at, block);
    return moved && alone ? this.restartsOf(id) : 0;
  }

  private candidate(walls: number): Candidate | null {
    const { at, asks, problem, unmoved } = this;
    if (walls & ~unmoved) return null;
    if (at.targetMoves === 0 && this.targetMoves === ((walls & bit(problem.target)) !== 0)) return null;
    const movers = unmoved & ~walls;
    let steps = this.base;
    let restarts = this.soFar;
    let { bytes } = at;
    for (let rest = movers; rest; rest &= rest - 1) {
      const way = this.wayOf(lowest(rest));
      if (!way) return null;
      steps += way.steps;
      bytes += way.bytes;
      restarts = Math.max(restarts, this.restartsIfMoved(lowest(rest)));
    }
    if (steps > asks.limit || this.isTooDear({ steps, bytes }, restarts)) return null;
    const candidate: Candidate = { walls, movers, steps, bytes };
    if (!this.usual) return candidate;
    const usual = this.usual.whereGo(movers, walls, 0);
    const least: Least = {
      ...NO_LEAST,
      ...usual,
      bytesCopied: bytes + usual.kept.bytes,
      exposedBytes: at.exposed,
      restarts,
      steps: Math.max(steps + usual.kept.donors, asks.limit),
    };
    return asks.isDominated(least) ? null : candidate;
  }

  /** Adds what can come of a set of walls. */
  consider({ walls, movers, steps, bytes }: Candidate, asked: DonorBound): void {
    const { at, problem, limits } = this;
    this.known ??= {
      copyings: copyingsOf(problem, at, this.walls, {
        mostSteps: this.asks.limit - this.base,
        targetMoves: this.targetMoves,
      }),
      // Room of a volume that was shrunk and then copied is not given in the end; what the copy itself took is.
      given: at.remade === 0 ? asked.slots : (countGivenByCopy(problem, at, limits) ?? 0),
    };
    for (const copying of this.known.copyings) {
      if (steps + copying.steps > this.asks.limit) continue;
      const free = copying.blocks & ~walls;
      if (copying.blocks !== 0 && (copying.several ? countBits(free) < 2 : free === 0)) continue;
      const soFar = { steps: steps + copying.steps, bytes };
      this.withCopying({ walls, movers, ...soFar }, copying, asked, this.known.given);
    }
  }

  /** The fewest steps and bytes by which a block leaves its found place; null: it can't. */
  private wayOf(id: number): WayCost | null {
    const known = this.ways[id];
    if (known !== undefined) return known;
    const { at, problem } = this;
    const may = this.targetMoves && at.targetMoves < MAX_TARGET_MOVES && !at.extended;
    const way =
      id !== problem.target ? findCheapestWayOut(at, problem.blocks[id]!) : may ? this.wayOfTarget() : null;
    this.ways[id] = way;
    return way;
  }

  /** A move, or a copy of its files to a larger volume, which saves the extension. */
  private wayOfTarget(): WayCost | null {
    const { target, problem, at } = this;
    const movable = either(target.movers, target.moversOnceDecrypted) !== NO_TOOLS;
    const copied = target.copies.length > 0;
    if (movable) return { steps: 1, bytes: Math.min(target.moveBytes, copied ? target.copyBytes : Infinity) };
    return copied && !(at.remade & bit(problem.target)) ? { steps: 2, bytes: target.copyBytes } : null;
  }

  private restartsOf(id: number): number {
    const block = this.problem.blocks[id]!;
    const tools = either(block.movers, block.moversOnceDecrypted);
    return (this.restarts[id] ??= Math.min(
      ...afterStep(this.problem, this.at.restarts, tools, block.atRestart),
    ));
  }

  private withCopying(
    { walls, movers, ...soFar }: Candidate,
    copying: Copying,
    asked: DonorBound,
    givenBefore: number,
  ): void {
    const { at, problem, limits, target } = this;
    const { under } = copying;
    // Cheap bounds come first: most are beaten already by what goes, and most others by what must fit in the end.
    if (copying.blocks !== 0 && this.isTooDear(soFar, this.soFar)) return;
    const demands = under.demands(walls);
    if (!demands.rest) return;
    const shrunk = { steps: soFar.steps + demands.rest.donors, bytes: soFar.bytes + demands.rest.bytes };
    if (shrunk.steps > this.asks.limit || this.isTooDear(shrunk, this.soFar, demands.rest.slots)) return;
    const one = copying.blocks !== 0 && !copying.several ? problem.blocks[lowest(copying.blocks)]! : null;
    // A block that moved before and still has to leave moves once more.
    const bytes = soFar.bytes + (one && (movers & bit(one.id)) === 0 ? one.copyBytes : 0);
    const own = one && movers & bit(one.id) ? under.clear(walls, one, true) : undefined;
    if (own === null) return;
    // A target that is copied to a smaller place is extended there: what the copy left out is nobody's gift.
    const kept = own && one === target ? { ...own, slots: 0 } : own;
    const past = kept ? [...copying.past, kept] : copying.past;
    const outside = (!at.moved && problem.outside.length > 0) || this.aim.end !== AS_FOUND;
    const given = Math.max(
      copying.blocks === 0 || at.remade !== 0 ? givenBefore : 0,
      one && one !== target && !outside ? countGivenBeside(problem, at, limits, one) : 0,
    );
    let restarts = this.soFar;
    const heavy: Block[] = [];
    for (let rest = movers & ~copying.blocks; rest; rest &= rest - 1) {
      const block = problem.blocks[lowest(rest)]!;
      if (block !== target && !staysAround(problem, at, block)) continue;
      if (block !== target || target.copies.length === 0)
        restarts = Math.max(restarts, this.restartsOf(block.id));
      if (block !== target && block.moveBytes > 0) heavy.push(block);
    }
    heavy.sort((a, b) => b.moveBytes - a.moveBytes);
    const clear = (block: Block, still: number): PackingBound | null => under.clear(walls | still, block);
    /** The two heaviest movers, each over its place or clear of it; what goes first has the other still in its way. */
    const goings = ([p, q]: readonly Block[]): {
      exposed: number;
      fits: readonly (PackingBound | null)[];
    }[] => {
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
    const add = (
      end: PackingBound | null,
      more: WayCost,
      overTarget: number,
      leap: readonly PackingBound[],
      how = going,
    ): void => {
      if (!end) return;
      for (const { exposed, fits } of how) {
        if (fits.includes(null)) continue;
        this.add({
          walls,
          movers,
          counted: movers | copying.blocks,
          copies: copying.blocks === 0 ? 0 : copying.several ? 2 : 1,
          going: goes + more.steps,
          cost: { steps: soFar.steps + more.steps, bytes: bytes + more.bytes },
          exposed: at.exposed + overTarget + exposed,
          fits: [end, ...past, ...leap, ...(fits as PackingBound[])],
          final: demands.rest!.slots,
          givesUp: under.givesUp(walls),
          given,
          restarts,
          asked,
        });
      }
    };
    const asItself = (movers & ~copying.blocks & bit(target.id)) !== 0;
    if (!asItself || target.moveBytes === 0) return add(demands.rest, FREE, 0, []);
    // Over its own place, clear of it at once, off the disk and back, or by a leap and back.
    add(demands.rest, FREE, target.moveBytes, []);
    add(demands.once, FREE, 0, []);
    const way = this.wayOf(target.id)!;
    if (target.copies.length > 0 && !at.moved && problem.outside.length > 0) {
      // While it is off the disk everything else has its place as well.
      const off = { steps: 3 - way.steps, bytes: 2 * target.copyBytes - way.bytes };
      add(demands.rest, off, 0, [], [{ exposed: 0, fits: [] }]);
    }
    const leap = clear(target, 0);
    if (leap) add(demands.rest, { steps: 1, bytes: target.moveBytes }, 0, [leap]);
  }

  private add(so: {
    walls: number;
    movers: number;
    counted: number;
    /** Volumes whose files are copied to a new one. */
    copies: number;
    going: number;
    cost: WayCost;
    exposed: number;
    /**
     * What must fit between the walls at some moment of the route: at its end first, then while things are on their
     * way.
     */
    fits: readonly PackingBound[];
    /** Slots that are given in the end, whatever donors gave for a while. */
    final: number;
    givesUp: 0 | 1;
    given: number;
    restarts: number;
    asked: DonorBound;
  }): void {
    const { problem, aim, limits, asks } = this;
    const { walls, movers, counted, copies, going, cost, exposed, fits, restarts, asked } = so;
    const all = fits.reduce<PackingBound | null>((sum, fit) => (sum ? greater(sum, fit) : fit), null)!;
    const usual = this.usual?.whereGo(movers, walls, copies);
    const shrunk = Math.max(asked.bytes, all.bytes, usual?.kept.bytes ?? 0);
    const plain = cost.steps + Math.max(all.donors, usual?.kept.donors ?? 0);
    const steps = plain + Math.max(0, this.taking - going);
    const bytes = cost.bytes + Math.ceil(shrunk / limits.grain - 1e-6) * limits.grain;
    const idle = idleOf(problem, aim, limits, Math.max(all.slots, so.given));
    if (steps > asks.limit) return;
    const least: Bound = {
      madeAnew: usual?.madeAnew ?? 0,
      bootStarts: usual?.bootStarts ?? 0,
      orderChanges: usual?.orderChanges ?? 0,
      bytesCopied: bytes,
      exposedBytes: exposed,
      restarts,
      steps: asks.limit,
      idle,
      givesUp: so.givesUp,
      walls,
      counted,
      plain,
      back: 0,
    };
    if (!asks.isDominated(least)) this.found.push({ ...least, steps });
    // A donor that gave for a while only takes it back in a step of its own; it was shrunk in another.
    if (!this.growsBack || asks.limit >= asks.most) return;
    const finalIdle = idleOf(problem, aim, limits, so.final);
    if (finalIdle >= idle) return;
    const shrinks = all.donors > 0 ? 0 : 1;
    if (steps + shrinks > asks.limit) return;
    if (asks.isDominated({ ...least, idle: finalIdle, steps: asks.limit + 1 })) return;
    this.found.push({
      ...least,
      steps: steps + shrinks,
      idle: finalIdle,
      plain: plain + shrinks,
      back: 1,
    });
  }
}
