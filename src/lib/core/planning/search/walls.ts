import {
  EPSILON,
  greater,
  lesser,
  Packing,
  type PackingBound,
  type PackedItem,
  type Question,
  type FreeInterval,
} from './packing';
import type { SearchContext } from './context';
import type { SearchProblem, Block } from './searchProblem';
import type { SlackLimits } from './slackLimits';
import { bit, type Aim, type Status } from './skeleton';
import { OrderKept } from './usualLeast';
import { maySetAside } from './ways';

/** Cost of a target with its goal where certain walls keep their found place. null: it can't be. */
export interface Demands {
  rest: PackingBound | null;
  /** Cost where the target makes a single move, clear of its found place; null: it can't be. */
  once: PackingBound | null;
}

const NEVER: Demands = { rest: null, once: null };
const NO_ITEM: PackedItem = { slots: 0, donor: null, freeShrink: 0 };

/**
 * Walls are the blocks that keep their found place from now on; all others share the rooms between them. Which they are
 * says what donors must give at the least, so it is asked once for each set of walls, not for each skeleton.
 */
export class Walls {
  private readonly known = new Map<string, Map<number, UnderStatus>>();
  /** Results by the object that names them: a skeleton asks with those of its past again and again. */
  private readonly met = new WeakMap<Status, Map<number, UnderStatus>>();
  readonly packing: Packing;
  /** Demands of the usual order on them. */
  readonly orderKept: OrderKept;

  constructor(private readonly context: SearchContext) {
    this.packing = new Packing(context);
    this.orderKept = new OrderKept(context);
  }

  /**
   * What is known where so many blocks are off the disk, made anew, or may be.
   * @param copied blocks whose files go to a new volume from here on, as bits
   * @param past what is asked happened before that
   */
  under(status: Status, copied: number, past = false): UnderStatus {
    const byCopied = this.met.get(status) ?? this.meet(status);
    const key = 2 * copied + (past ? 1 : 0);
    let found = byCopied.get(key);
    if (!found) {
      found = new UnderStatus(this.context, this.packing, status, copied, past);
      byCopied.set(key, found);
    }
    return found;
  }

  private meet(status: Status): Map<number, UnderStatus> {
    const { moved, gone, pending, remade } = status;
    const key = `${moved}.${gone}.${pending}.${remade}`;
    const byCopied = this.known.get(key) ?? new Map<number, UnderStatus>();
    this.known.set(key, byCopied);
    this.met.set(status, byCopied);
    return byCopied;
  }
}

/** Results on walls while the disk stands so. */
export class UnderStatus {
  private readonly problem: SearchProblem;
  private readonly aim: Aim;
  private readonly limits: SlackLimits;
  private readonly donorLowerBound = new Map<number, Demands>();
  private readonly cleared = new Map<number, PackingBound | null>();
  private readonly copying = new Map<number, PackingBound | null>();

  constructor(
    { problem, aim, limits }: SearchContext,
    private readonly packing: Packing,
    private readonly status: Status,
    /** Pieces whose files go to a new volume from here on, as bits. */
    private readonly copied: number,
    private readonly past: boolean,
  ) {
    this.problem = problem;
    this.aim = aim;
    this.limits = limits;
  }

  demands(walls: number): Demands {
    let found = this.donorLowerBound.get(walls);
    if (!found) {
      found = this.everyRoomIsWanted(walls) ? this.ends(walls) : NEVER;
      this.donorLowerBound.set(walls, found);
    }
    return found;
  }

  /**
   * Whether the recovery partition is given up as Windows' neighbour, at the least: where Windows stays and it does
   * not, it must fit between Windows, as large as that is in the end, and the next wall.
   */
  givesUp(walls: number): 0 | 1 {
    const { problem, limits } = this;
    const { recovery, windows } = problem;
    if (recovery === null || windows === null) return 0;
    if (walls & bit(recovery) || (walls & bit(windows)) === 0) return 0;
    const room = this.packing.intervals(walls, true).find(({ left }) => left?.id === windows);
    const block = problem.blocks[recovery]!;
    const least = this.sizeOf(block) - Math.max(limits.all[recovery]!, this.lessAnew(block));
    return room && room.end - room.start < least - EPSILON ? 1 : 0;
  }

  /** Cost of a block that is no wall and goes clear of its found place, by a move or by a copy of its files. */
  clear(walls: number, block: Block, anew = false): PackingBound | null {
    const known = anew ? this.copying : this.cleared;
    const key = walls * 32 + block.id;
    let found = known.get(key);
    if (found === undefined) {
      const item = { slots: this.sizeOf(block), donor: anew ? null : block, freeShrink: 0 };
      if (anew) item.freeShrink = this.lessAnew(block);
      else if (this.copied & bit(block.id) && !this.past) item.slots -= this.limits.all[block.id]!;
      found = this.packing.fitAnywhere(this.question(walls | bit(block.id), item, false));
      known.set(key, found);
    }
    return found;
  }

  private ends(walls: number): Demands {
    const { problem, aim, packing } = this;
    const target = problem.blocks[problem.target]!;
    if (walls & bit(target.id)) {
      const question = this.question(walls, NO_ITEM, true);
      const i = question.intervals.findIndex((interval) => interval.left?.id === target.id);
      const interval = question.intervals[i]!;
      if (interval.end - interval.start < -EPSILON) return NEVER;
      return { rest: packing.fit(question, i), once: null };
    }
    const question = this.question(
      walls,
      { slots: aim.goal / problem.slot, donor: null, freeShrink: 0 },
      true,
    );
    const before = this.question(
      walls | bit(target.id),
      { ...NO_ITEM, slots: this.sizeOf(target), freeShrink: this.lessAnew(target) },
      false,
    );
    const demands = { ...NEVER };
    question.intervals.forEach((interval, i) => {
      const rest = packing.fit(question, i);
      if (!rest) return;
      demands.rest = lesser(demands.rest, rest);
      demands.once = lesser(demands.once, greater(rest, this.onceInto(interval, before)));
    });
    return demands;
  }

  /**
   * A single move of the target clear of its found place into a room, as large as it was found. To the left it may grow
   * over that place afterwards, to the right it must find all of its goal there.
   */
  private onceInto(interval: FreeInterval, before: Question): PackingBound | null {
    const { problem, aim } = this;
    let found: PackingBound | null = null;
    before.intervals.forEach((part, i) => {
      if (part.start < interval.start - EPSILON || part.end > interval.end + EPSILON) return;
      const right = part.left?.id === problem.target;
      if (right && part.end - part.start < aim.goal / problem.slot - EPSILON) return;
      found = lesser(found, this.packing.fit(before, i));
    });
    return found;
  }

  /**
   * Whether something from elsewhere could take the room of whatever leaves its place. Where nothing fits in, and the
   * target does not grow into it, all in that room could stay as well. The recovery partition goes for the sake of
   * where it goes, and a volume that is copied after it was shrunk may be larger again.
   */
  private everyRoomIsWanted(walls: number): boolean {
    const { problem, limits, status } = this;
    const others = problem.blocks.filter((block) => (walls & bit(block.id)) === 0);
    return this.packing.intervals(walls, false).every((interval) => {
      if (interval.left?.id === problem.target) return true;
      const inside = others.filter(({ first }) => {
        const at = first / problem.slot;
        return at >= interval.start - EPSILON && at < interval.end - EPSILON;
      });
      if (inside.every(({ id }) => id === problem.recovery)) return true;
      if (inside.some(({ id }) => id === problem.target)) return true;
      if (inside.some(({ id, shrinks }) => shrinks.length > 0 && (this.copied | status.remade) & bit(id)))
        return true;
      const most = interval.end - interval.start + (interval.left ? limits.all[interval.left.id]! : 0);
      return others.some((block) => {
        if (inside.includes(block) || status.gone & ~status.pending & bit(block.id)) return false;
        const less = Math.max(limits.all[block.id]!, this.lessAnew(block));
        return this.sizeOf(block) - less <= most + EPSILON;
      });
    });
  }

  /** Blocks that are to fit between these walls, with everything else that is on the disk then. */
  private question(walls: number, item: PackedItem, final: boolean): Question {
    const { problem } = this;
    const members: { id: number; slots: number; freeShrink: number }[] = [];
    let donors = 0;
    let freeDonors = 0;
    for (const block of problem.blocks) {
      const set = bit(block.id);
      if (walls & set) {
        if (block.shrinks.length === 0) continue;
        if (this.copied & set && !this.past) freeDonors |= set;
        else donors |= set;
      } else if (block.id !== problem.target || !final) {
        const member = this.memberOf(block, final);
        if (!member) continue;
        members.push(member);
        const old = this.past && (this.copied & set) !== 0;
        if (block.shrinks.length > 0 && (old || !this.mayBeAnew(block))) donors |= set;
      }
    }
    return {
      intervals: this.packing.intervals(walls, final),
      item,
      members,
      donors,
      temporaryDonors: this.past ? this.copied : 0,
      freeDonors,
    };
  }

  /** null: it need not be on the disk then. */
  private memberOf(block: Block, final: boolean): Question['members'][number] | null {
    const { status, limits } = this;
    const { id } = block;
    const set = bit(id);
    const slots = this.sizeOf(block);
    if (status.pending & set) return final ? { id, slots, freeShrink: this.lessAnew(block) } : null;
    if (status.gone & set) return null;
    if (status.remade & set) return { id, slots, freeShrink: this.lessAnew(block) };
    if (!status.moved && block.deletable && id !== this.problem.target) return null;
    if (!this.mayBeAnew(block)) return { id, slots, freeShrink: 0 };
    if (this.past && this.copied & set) return { id, slots, freeShrink: 0 };
    const less = Math.max(this.lessAnew(block), limits.all[id]!);
    if (!(this.copied & set)) return final ? { id, slots, freeShrink: less } : null;
    // Before it is copied it may be shrunk, which is not given in the end.
    return final
      ? { id, slots, freeShrink: this.lessAnew(block) }
      : { id, slots: slots - less, freeShrink: 0 };
  }

  /**
   * Whether a block is made anew, or was, or may leave the disk and come back: it may be smaller then without being
   * shrunk.
   */
  private mayBeAnew(block: Block): boolean {
    const { status, problem } = this;
    if ((status.pending | status.remade | this.copied) & bit(block.id)) return true;
    const out = !status.moved && block.copies.length > 0 && problem.outside.length > 0;
    return (maySetAside(status, block) || out) && block.id !== problem.target;
  }

  private sizeOf = (block: Block): number => block.sectors / this.problem.slot;
  private lessAnew = (block: Block): number => this.limits.free[this.problem.blocks.length + block.id]!;
}
