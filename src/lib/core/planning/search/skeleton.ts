import type { SearchContext } from './context';
import { NONE, type Constraint } from './differenceConstraints';
import { hasTool, countRestartsAdded, type ToolSet } from '../../tools';
import type { SearchProblem, Block, Smaller } from './searchProblem';

/** Moves of a skeleton, before places and amounts are settled. Variables are numbers of positions. */
export type Act =
  | { kind: 'delete' | 'set-aside'; block: number }
  /** `place`: index of the outside place. */
  | { kind: 'copy-out'; block: number; place: number }
  /** `to` is the position of its new start; a slide stays between the same neighbours. */
  | { kind: 'move'; block: number; to: number; decrypt: boolean }
  | { kind: 'copy-in'; block: number; to: number; way: Smaller }
  | { kind: 'resize'; block: number; to: number }
  | { kind: 'extend' }
  /** The target's first extension, by so many slots or more, up to the block that stands behind it then. */
  | { kind: 'widen'; slots: number; right: number | null }
  /** Set aside once the target was extended for the image. */
  | { kind: 'aside-late'; block: number }
  | { kind: 'put-back' | 'copy-back'; block: number; to: number; way: Smaller }
  /** The target's files go to a new volume that is as large as is asked for. */
  | { kind: 'copy-target'; block: number; to: number; decrypt: boolean }
  /** A donor that was shrunk takes room again, up to its size as found. */
  | { kind: 'grow-back'; block: number };

/** A list that shares its beginning with others. */
export interface Acts {
  before: Acts | null;
  act: Act;
}

/**
 * A route without figures: which steps in which order, and the constraints that its places must keep. Nothing
 * in it is changed once it is made.
 */
export interface Skeleton {
  acts: Acts | null;
  edges: readonly Constraint[];
  /** Positions so far; 0 is the disk's start. */
  count: number;
  /** Ids in the order of their position, of what is on the disk. */
  order: readonly number[];
  /** Position of each block's start; {@link AS_FOUND} for one that stands where it was found. */
  place: Int16Array;
  /** Blocks that stand as they were made anew, as bits. */
  remade: number;
  decrypted: number;
  /** Blocks that left their found place for one clear of it. */
  cleared: readonly Cleared[];
  /** Blocks that are off the disk and are to be put back or copied back, in that order. */
  pending: readonly { block: number; act: 'put-back' | 'copy-back' }[];
  /** Blocks behind which room was freed that nothing took yet, as bits; START stands for room at the disk's start. */
  freed: number;
  bytes: number;
  exposed: number;
  /** Steps so far, decryptions and steps that are bound to follow included. */
  steps: number;
  /** Fewest restarts so far by the tool that did the last step and whether it waited for a restart. */
  restarts: readonly number[];
  targetMoves: number;
  /** Sets of the usual order: volumes made anew, and what the machine boots from and moved, as bits. */
  madeAnew: number;
  booted: number;
  /** Donors that grow back in the end, as bits. */
  regrown: number;
  /** Slots by which the target was extended before something was set aside. */
  widened: number;
  extended: boolean;
  /** Fewest restarts before the target's extension, where that is the last step, and the tools that can do it. */
  beforeExtension: { restarts: readonly number[]; tools: ToolSet } | null;
  /**
   * The block that the last step moved or copied, the order before it, and whether it was copied or went over its own
   * place.
   */
  last: { block: number; order: readonly number[]; anew: boolean; exposed: boolean } | null;
  outsideLeft: readonly number[];
  entries: number;
  /** Whether a step was done after which nothing leaves the disk any more. */
  moved: boolean;
}

/** All that sizes depend on but for who is shrunk. Sets of blocks as bits. */
export interface Status {
  /** Mark of a skeleton in which nothing leaves the disk any more. */
  moved: boolean;
  /** Blocks that are not on the disk now, and those of them that come back. */
  gone: number;
  pending: number;
  remade: number;
}

/** A block that left its found place for one clear of it, and how the disk was then. */
export interface Cleared {
  block: number;
  /** Its files were copied to a new volume. */
  anew: boolean;
  /** Blocks that still stood where they were found. */
  walls: number;
  status: Status;
}

export const START = 1 << 30;
/** Instead of a position: the place is the one as found. */
export const AS_FOUND = -1;
const NEVER = 1e6;

export const bit = (id: number): number => 1 << id;

export function rootOf(problem: SearchProblem): Skeleton {
  const restarts = problem.kit.tools.flatMap(() => [NEVER, NEVER]);
  restarts[0] = 0;
  return {
    acts: null,
    edges: [],
    count: 1,
    order: problem.order,
    place: new Int16Array(problem.blocks.length).fill(AS_FOUND),
    remade: 0,
    decrypted: 0,
    cleared: [],
    pending: [],
    freed: 0,
    bytes: 0,
    exposed: 0,
    steps: 0,
    restarts,
    targetMoves: 0,
    madeAnew: 0,
    booted: 0,
    regrown: 0,
    widened: 0,
    extended: false,
    beforeExtension: null,
    last: null,
    outsideLeft: problem.outside.map((one) => one.bytes),
    entries: problem.freeEntries,
    moved: false,
  };
}

/** Restarts after one more step that any of `tools` may do; those in `waiting` wait for a restart with it. */
export function afterStep(
  problem: SearchProblem,
  restarts: readonly number[],
  tools: ToolSet,
  waiting: ToolSet,
): number[] {
  const next = restarts.map(() => NEVER);
  problem.kit.tools.forEach((tool, t) => {
    if (!hasTool(tools, t)) return;
    const waits = hasTool(waiting, t);
    let least = NEVER;
    restarts.forEach((so, state) => {
      if (so >= NEVER) return;
      least = Math.min(least, so + countRestartsAdded(tool, waits, state >> 1 === t, (state & 1) === 1));
    });
    next[t * 2 + (waits ? 1 : 0)] = least;
  });
  return next;
}

export const countLeastRestarts = ({ restarts }: Skeleton): number => Math.min(...restarts);

/**
 * The slack by which a block stands smaller than it was found, or than its files need; NONE where it keeps its size.
 */
export function slackOf(problem: SearchProblem, at: Skeleton, block: Block): number {
  if (at.regrown & bit(block.id)) return numberRegrownSlack(problem, block.id);
  if (at.remade & bit(block.id)) return problem.blocks.length + block.id;
  return block.shrinks.length > 0 ? block.id : NONE;
}

/** The slack of the disk's own end, where it may be enlarged. */
export const endSlack = (problem: SearchProblem): number => 2 * problem.blocks.length;
/** The slack by which a donor that grew back is still smaller than it was found. */
export const numberRegrownSlack = (problem: SearchProblem, block: number): number =>
  2 * problem.blocks.length + 1 + block;
export const slackCount = (problem: SearchProblem): number => 3 * problem.blocks.length + 1;

/** Demands of a search on all its skeletons. */
export interface Aim {
  /** Sectors that the target ends with. */
  goal: number;
  /** Position that stands for the disk's end where it may be enlarged; {@link AS_FOUND}: the end stands still. */
  end: number;
}

interface Size {
  sectors: number;
  slots: number;
  slack: number;
}

function sizeOf(problem: SearchProblem, aim: Aim, at: Skeleton, block: Block): Size {
  if (block.id === problem.target && at.extended) {
    return { sectors: aim.goal, slots: Math.ceil(aim.goal / problem.slot), slack: NONE };
  }
  const more = block.id === problem.target ? at.widened : 0;
  return {
    sectors: block.sectors + more * problem.slot,
    slots: block.slots + more,
    slack: slackOf(problem, at, block),
  };
}

/** A logical drive has a slot before it for its record. */
const gapBefore = (block: Block): number => (block.kind === 'logical' ? 1 : 0);

/**
 * Adds that `right` starts behind the end of `left`; null stands for the bounds of the disk. False: the two
 * stand still and contradict it.
 */
export function addPrecedence(
  { problem, aim }: Pick<SearchContext, 'problem' | 'aim'>,
  at: Skeleton,
  left: Block | null,
  right: Block | null,
  edges: Constraint[],
): boolean {
  const { slot, area } = problem;
  const u = left ? at.place[left.id]! : AS_FOUND;
  const v = right ? at.place[right.id]! : aim.end;
  const size = left ? sizeOf(problem, aim, at, left) : { sectors: 0, slots: 0, slack: NONE };
  const gap = right ? gapBefore(right) : 0;
  const start = left ? left.first : area.first;
  const stop = right ? right.first : area.end;
  if (u < 0 && v < 0) return left?.id !== problem.target || start + size.sectors + gap * slot <= stop;
  const slots = size.slots + gap;
  const { slack } = size;
  if (u < 0) {
    edges.push({
      from: 0,
      to: v,
      weight: Math.ceil((start + size.sectors) / slot) + gap,
      relaxedWeight: Math.ceil(start / slot) + slots,
      slack,
    });
  } else if (v < 0) {
    edges.push({
      from: u,
      to: 0,
      weight: -Math.floor((stop - size.sectors - gap * slot) / slot),
      relaxedWeight: slots - Math.floor(stop / slot),
      slack,
    });
  } else {
    edges.push({ from: u, to: v, weight: Math.ceil(size.sectors / slot) + gap, relaxedWeight: slots, slack });
  }
  return true;
}

export type Slide = 'clear-right' | 'clear-left' | 'right' | 'left';

/** Adds how a slide lies to the block's former place: clear of it, or only not the same. */
export function addSlide(
  { problem, aim }: Pick<SearchContext, 'problem' | 'aim'>,
  at: Skeleton,
  block: Block,
  { to, how }: { to: number; how: Slide },
  edges: Constraint[],
): void {
  const { slot } = problem;
  const from = at.place[block.id]!;
  const size = sizeOf(problem, aim, at, block);
  const clear = how === 'clear-right' || how === 'clear-left';
  const right = how === 'clear-right' || how === 'right';
  const slack = clear ? size.slack : NONE;
  if (from >= 0) {
    const [u, v] = right ? [from, to] : [to, from];
    const by = clear ? size.slots : 1;
    edges.push({ from: u, to: v, weight: by, relaxedWeight: by, slack });
  } else if (right) {
    const weight = clear
      ? Math.ceil((block.first + size.sectors) / slot)
      : Math.floor(block.first / slot) + 1;
    edges.push({ from: 0, to, weight, relaxedWeight: Math.ceil(block.first / slot) + size.slots, slack });
  } else {
    const weight = clear
      ? -Math.floor((block.first - size.sectors) / slot)
      : 1 - Math.ceil(block.first / slot);
    edges.push({
      from: to,
      to: 0,
      weight,
      relaxedWeight: size.slots - Math.floor(block.first / slot),
      slack,
    });
  }
}

/** Whether the slot behind the block at `index` of the order (-1: the disk's start) lies in the extended partition. */
export function isInsideFrame(problem: SearchProblem, order: readonly number[], index: number): boolean {
  for (let i = index; i >= 0; i--) {
    const { kind } = problem.blocks[order[i]!]!;
    if (kind === 'close') return false;
    if (kind === 'open') return true;
  }
  return false;
}

/** Whether the recovery partition is Windows' neighbour, or there is none that was. */
export const isBehindWindows = (problem: SearchProblem, { order }: Skeleton): boolean =>
  problem.recovery === null || order[order.indexOf(problem.windows!) + 1] === problem.recovery;

export function statusOf(problem: SearchProblem, { moved, order, pending, remade }: Skeleton): Status {
  const here = order.reduce((set, id) => set | bit(id), 0);
  return {
    moved,
    gone: (bit(problem.blocks.length) - 1) & ~here,
    pending: pending.reduce((set, { block }) => set | bit(block), 0),
    remade,
  };
}

/** Set of the blocks that are on the disk where they were found, as bits. */
export function unmovedOf({ order, place }: Skeleton): number {
  let unmoved = 0;
  for (const id of order) if (place[id]! < 0) unmoved |= bit(id);
  return unmoved;
}

/** The acts of a skeleton, first to last. */
export function actsOf(at: Skeleton): Act[] {
  const acts: Act[] = [];
  for (let one = at.acts; one; one = one.before) acts.push(one.act);
  return acts.reverse();
}
