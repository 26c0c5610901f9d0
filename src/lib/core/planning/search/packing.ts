import type { SearchProblem, Block } from './searchProblem';
import type { SlackLimits } from './slackLimits';
import { bit, type Aim } from './skeleton';

/** Facts of a block that packing needs. */
export type PackedBlock = Pick<Block, 'id' | 'first' | 'sectors' | 'slots' | 'shrinks'>;

/** Facts of a search that packing needs. */
export interface PackingContext {
  problem: Pick<SearchProblem, 'slot' | 'order' | 'target' | 'area'> & { blocks: readonly PackedBlock[] };
  aim: Aim;
  limits: Pick<SlackLimits, 'all' | 'hulls'>;
}

/** Least that donors must give so that something fits: each figure on its own. */
export interface PackingBound {
  /** Bytes copied by shrinking. */
  bytes: number;
  /** Slots that are given in the end. */
  slots: number;
  /** Donors that must be shrunk. */
  donors: number;
}

interface Need {
  slots: number;
  /** Donors that may be shrunk for it, as bits; the one named `twice` helps two times (-1: none does): it frees room
   * behind itself, and what is to fit there, its own copy, gets smaller with it. */
  donors: number;
  twice: number;
  /** Slots that volumes made anew give without being shrunk. */
  freeShrink: number;
  /** Who is made anew later. */
  temporaryDonors: number;
}

/** The room between two walls, in slots; null: the bounds of the disk. */
export interface FreeInterval {
  left: PackedBlock | null;
  right: PackedBlock | null;
  start: number;
  end: number;
}

/** Something that must be in one of the rooms. */
export interface PackedItem {
  slots: number;
  /** The block that it is made of, where that can be shrunk; it still stands as a wall. */
  donor: PackedBlock | null;
  /** Slots that it may be smaller without being shrunk. */
  freeShrink: number;
}

/** Blocks that are to fit, and those that can give for them. Sets as bits. */
export interface Question {
  intervals: readonly FreeInterval[];
  item: PackedItem;
  /** Blocks that must be somewhere besides, with the slots that each takes and may lose without being shrunk. */
  members: readonly { id: number; slots: number; freeShrink: number }[];
  /** Walls and members that can be shrunk. */
  donors: number;
  /** Blocks of them that are made anew later: what they give is not given in the end. */
  temporaryDonors: number;
  /** Walls that give without being shrunk, and nothing in the end. */
  freeDonors: number;
}

export const EPSILON = 1e-6;
const NOTHING = { bytes: 0, slots: 0, donors: 0 };

/** Figure by figure the lesser. */
export const lesser = (a: PackingBound | null, b: PackingBound | null): PackingBound | null =>
  a && b
    ? {
        bytes: Math.min(a.bytes, b.bytes),
        slots: Math.min(a.slots, b.slots),
        donors: Math.min(a.donors, b.donors),
      }
    : (a ?? b);

/** Figure by figure the greater, of two things that must both be. */
export const greater = (a: PackingBound | null, b: PackingBound | null): PackingBound | null =>
  a && b
    ? {
        bytes: Math.max(a.bytes, b.bytes),
        slots: Math.max(a.slots, b.slots),
        donors: Math.max(a.donors, b.donors),
      }
    : null;

/** A stretch of what a donor gives at one price. */
interface Stretch {
  id: number;
  slots: number;
  bytes: number;
}

/** Lower bounds of what donors must give so that things fit between walls, whatever the order of steps and places. */
export class Packing {
  private readonly problem: PackingContext['problem'];
  private readonly aim: Aim;
  private readonly limits: PackingContext['limits'];
  private readonly stretches: readonly Stretch[];
  private readonly doubled = new Map<number, readonly Stretch[]>();
  /** Alignment of all blocks: only whole slots count. */
  private readonly aligned: boolean;

  constructor({ problem, aim, limits }: PackingContext) {
    this.problem = problem;
    this.aim = aim;
    this.limits = limits;
    const { blocks, slot } = problem;
    this.aligned = blocks.every(({ first, sectors }) => first % slot === 0 && sectors % slot === 0);
    this.stretches = cheapestFirst(
      blocks.flatMap(({ id, shrinks }) => {
        if (shrinks.length === 0) return [];
        const hull = limits.hulls[id]!;
        return hull.slice(1).map(({ slots, bytes }, i) => {
          const from = hull[i]!;
          return { id, slots: slots - from.slots, bytes: bytes - from.bytes };
        });
      }),
    );
  }

  /** The rooms between walls; `final`: the target as large as it is to be. */
  intervals(walls: number, final: boolean): FreeInterval[] {
    const { problem, aim } = this;
    const { slot, area } = problem;
    const intervals: FreeInterval[] = [];
    let left: PackedBlock | null = null;
    let start = Math.ceil(area.first / slot);
    for (const id of problem.order) {
      if ((walls & bit(id)) === 0) continue;
      const right = problem.blocks[id]!;
      intervals.push({ left, right, start, end: right.first / slot });
      left = right;
      const sectors = final && id === problem.target ? aim.goal : right.sectors;
      start = Math.ceil((right.first + sectors) / slot);
    }
    intervals.push({ left, right: null, start, end: aim.end >= 0 ? Infinity : area.end / slot });
    return intervals;
  }

  /**
   * What it takes that the item fits into one of the rooms; the other rooms count as one. null: it can't be.
   */
  fit(question: Question, into: number): PackingBound | null {
    const { intervals, item, members, donors, temporaryDonors, freeDonors } = question;
    const { all } = this.limits;
    const interval = intervals[into]!;
    const twice = item.donor && donors & bit(item.donor.id) ? item.donor.id : -1;
    const beside = twice >= 0 && interval.left?.id === twice;
    const wallIn = interval.left ? donors & bit(interval.left.id) : 0;
    const inside = item.slots - (interval.end - interval.start) - this.givenBehind(interval, freeDonors);
    // The item's own shrinking gives room behind it as well.
    let outside = twice >= 0 && !beside ? -all[twice]! : 0;
    let wallsOut = 0;
    for (const other of intervals) {
      if (other === interval) continue;
      const slots = other.end - other.start;
      outside -=
        Math.max(0, this.aligned ? Math.floor(slots + EPSILON) : slots) + this.givenBehind(other, freeDonors);
      if (other.left && other.left.id !== twice) wallsOut |= donors & bit(other.left.id);
    }
    const givers = (wallIn | (twice >= 0 ? bit(twice) : 0)) >>> 0;
    const double = beside ? twice : -1;
    let best: PackingBound | null = null;
    const share = (
      k: number,
      needIn: number,
      needOut: number,
      inDonors: number,
      outDonors: number,
      freeShrinkIn: number,
      freeShrinkOut: number,
    ): void => {
      if (k < members.length) {
        const { id, slots, freeShrink } = members[k]!;
        const gives = donors & bit(id);
        share(
          k + 1,
          needIn + slots,
          needOut,
          inDonors | gives,
          outDonors,
          freeShrinkIn + freeShrink,
          freeShrinkOut,
        );
        const least = slots - freeShrink - (gives ? all[id]! : 0);
        if (this.fitsElsewhere(question, into, least)) {
          share(
            k + 1,
            needIn,
            needOut + slots,
            inDonors,
            outDonors | gives,
            freeShrinkIn,
            freeShrinkOut + freeShrink,
          );
        }
        return;
      }
      const one = {
        slots: whole(needIn),
        donors: inDonors,
        twice: double,
        freeShrink: freeShrinkIn,
        temporaryDonors,
      };
      const two = {
        slots: whole(needOut),
        donors: outDonors,
        twice: -1,
        freeShrink: freeShrinkOut,
        temporaryDonors,
      };
      const a = this.given(one);
      const b = a && this.given(two);
      if (!b) return;
      best = lesser(best, {
        bytes: a.bytes + b.bytes,
        slots: a.slots + b.slots,
        donors: a.donors + b.donors,
      });
    };
    share(0, inside, outside, givers, wallsOut, item.freeShrink, 0);
    return best;
  }

  /** In whichever of the rooms. */
  fitAnywhere(question: Question): PackingBound | null {
    return question.intervals.reduce<PackingBound | null>(
      (found, _, i) => lesser(found, this.fit(question, i)),
      null,
    );
  }

  private givenBehind({ left }: FreeInterval, freeDonors: number): number {
    return left && freeDonors & bit(left.id) ? this.limits.all[left.id]! : 0;
  }

  /** Whether something of so many slots fits into another of the rooms, whatever its wall gives. */
  private fitsElsewhere({ intervals, donors, freeDonors }: Question, into: number, least: number): boolean {
    for (let i = 0; i < intervals.length; i++) {
      if (i === into) continue;
      const { left, start, end } = intervals[i]!;
      const gives = left && (donors | freeDonors) & bit(left.id) ? this.limits.all[left.id]! : 0;
      if (end - start + gives >= least - EPSILON) return true;
    }
    return false;
  }

  /** The least that must be given; null: they have less. */
  private given({ slots, donors, twice, freeShrink, temporaryDonors }: Need): PackingBound | null {
    if (slots <= 0) return NOTHING;
    const { all } = this.limits;
    let kept = slots;
    for (let rest = donors & temporaryDonors; rest; rest &= rest - 1) {
      const id = lowest(rest);
      kept -= all[id]! * (id === twice ? 2 : 1);
    }
    const half = twice >= 0 && (temporaryDonors & bit(twice)) === 0;
    const counted = Math.max(0, half ? Math.max(Math.ceil(kept / 2), kept - all[twice]!) : kept);
    const paid = slots - freeShrink;
    if (paid <= 0) return { bytes: 0, slots: counted, donors: 0 };
    const mosts: number[] = [];
    let has = 0;
    for (let rest = donors; rest; rest &= rest - 1) {
      const id = lowest(rest);
      mosts.push(all[id]! * (id === twice ? 2 : 1));
      has += mosts.at(-1)!;
    }
    if (has < paid) return null;
    let count = 1;
    if (Math.max(...mosts) < paid) {
      mosts.sort((a, b) => b - a);
      for (let sum = mosts[0]!; sum < paid; count++) sum += mosts[count]!;
    }
    return { bytes: this.bytesFor(paid, donors, twice), slots: counted, donors: count };
  }

  /** The bytes of so many slots from these donors: their flattest stretches first. */
  private bytesFor(slots: number, donors: number, twice: number): number {
    let rest = slots;
    let bytes = 0;
    for (const one of twice < 0 ? this.stretches : this.stretchesWith(twice)) {
      if (rest <= 0) break;
      if ((donors & bit(one.id)) === 0) continue;
      bytes += one.slots >= rest ? (one.bytes * rest) / one.slots : one.bytes;
      rest -= one.slots;
    }
    return bytes;
  }

  private stretchesWith(twice: number): readonly Stretch[] {
    let found = this.doubled.get(twice);
    if (!found) {
      found = cheapestFirst(
        this.stretches.map((one) => (one.id === twice ? { ...one, slots: 2 * one.slots } : one)),
      );
      this.doubled.set(twice, found);
    }
    return found;
  }
}

const cheapestFirst = (stretches: Stretch[]): Stretch[] =>
  stretches.sort((a, b) => a.bytes * b.slots - b.bytes * a.slots);

const whole = (slots: number): number => Math.ceil(slots - EPSILON);

/** The lowest bit that is set. */
export const lowest = (set: number): number => 31 - Math.clz32(set & -set);

export function countBits(set: number): number {
  let bits = 0;
  for (let rest = set; rest; rest &= rest - 1) bits++;
  return bits;
}
