import { unallocated } from '../../disk';
import { hullOfAll, leastBytes, type Corner } from '../shares';
import { contradiction, greatestPlaces, leastPlaces, NONE, type Amounts } from './tension';
import type { Board, Piece } from './pieces';
import { bit, endRelief, reliefCount, type Aim, type Skeleton } from './skeleton';

/** All reliefs as far as they go; those that need no step of their own alone. */
export interface Reach {
  all: Amounts;
  free: Amounts;
  /** Slots that were unallocated as found, at the most. */
  unallocated: number;
  /** Bytes copied are whole multiples of this where donors shrink. */
  grain: number;
  /** Bytes by which given slots may be less than whole: 0 on a disk where everything is aligned. */
  slack: number;
  /** What the donors can give by shrinking, together: a lower bound of the bytes for every amount. */
  hull: readonly Corner[];
  /** How much the largest donors give together: one, two, three of them … */
  largest: readonly number[];
}

/** How far everything can give way on this board. */
export function reachOf(board: Board, mostEnlarged: number): Reach {
  const all = new Int32Array(reliefCount(board));
  const free = new Int32Array(reliefCount(board));
  for (const piece of board.pieces) {
    all[piece.id] = Math.max(0, ...piece.shrinks.map((way) => way.most));
    const anew = Math.max(piece.asideMost, ...piece.copies.map((way) => way.most));
    all[board.pieces.length + piece.id] = free[board.pieces.length + piece.id] = anew;
  }
  all[endRelief(board)] = free[endRelief(board)] = mostEnlarged;
  const givers = board.pieces.filter((piece) => piece.shrinks.length > 0);
  const mosts = givers.map((piece) => all[piece.id]!).sort((a, b) => b - a);
  const largest = mosts.map((_, i) => mosts.slice(0, i + 1).reduce((sum, most) => sum + most, 0));
  return {
    all,
    free,
    unallocated: unallocatedSlots(board),
    grain: givers.length === 0 ? 1 : Math.min(...givers.map((piece) => piece.grain)),
    slack:
      givers.reduce((sum, piece) => sum + piece.slots * board.slot - piece.sectors, 0) *
      board.disk.sectorSize,
    hull: hullOfAll(givers.map((piece) => piece.corners)),
    largest,
  };
}

/**
 * Everything in no partition, and what the frame holds besides its drives. Where all is aligned only whole slots
 * count: nothing can be put into less, and no step makes two pieces of slots one.
 */
export function unallocatedSlots({ pieces, area, slot }: Board): number {
  // The frame itself counts as free, and its drives as taken: its ends may move.
  const taken = pieces
    .filter((piece) => piece.kind === 'primary' || piece.kind === 'logical')
    .sort((a, b) => a.first - b.first)
    .map(({ first, sectors }) => ({ first, sectors }));
  const aligned = taken.every(({ first, sectors }) => first % slot === 0 && sectors % slot === 0);
  const gaps = unallocated({ first: area.first, sectors: area.end - area.first }, taken);
  return gaps.reduce((sum, { first, sectors }) => {
    if (!aligned) return sum + sectors / slot;
    return sum + Math.max(0, Math.floor((first + sectors) / slot) - Math.ceil(first / slot));
  }, 0);
}

/** Slots that can be had on the disk without shrinking anything where it is, at the most. */
function freeSlots(board: Board, at: Skeleton, reach: Reach): number {
  let free = reach.unallocated;
  for (const piece of board.pieces) {
    if (piece.id === board.target) continue;
    const gone = !at.order.includes(piece.id);
    const anew = (at.remade & bit(piece.id)) !== 0;
    const pending = gone && at.pending.some((one) => one.piece === piece.id);
    if (gone && !pending) free += piece.slots;
    else if (pending || anew) free += reach.free[board.pieces.length + piece.id]!;
    else if (!at.last && piece.deletable) free += piece.slots;
    else if (!at.last && piece.asideBytes >= 0) free += piece.asideMost;
  }
  return free;
}

/** Slots that are free for a while, since what stood there is deleted, set aside or copied out. */
function lentSlots(board: Board, at: Skeleton): number {
  return board.pieces.reduce((sum, piece) => {
    if (piece.id === board.target) return sum;
    const gone = !at.order.includes(piece.id);
    const may = !at.last && (piece.asideBytes >= 0 || (piece.copies.length > 0 && board.outside.length > 0));
    return gone || may ? sum + piece.slots : sum;
  }, 0);
}

/** What a skeleton still costs at the least, whatever follows. */
export interface Bound {
  steps: number;
  bytes: number;
  exposed: number;
  /** Bytes given beyond what the target takes. */
  idle: number;
  /** 1: the recovery partition is given up as Windows' neighbour. */
  givesUp: 0 | 1;
}

interface Cost {
  steps: number;
  bytes: number;
}

/** What it takes to clear the target's way. */
interface Way extends Cost {
  /** Of what is in the way and can't be but moved or copied: what copies the most. */
  heaviest: Piece | null;
}

/**
 * Steps that it takes at the least until all room that was freed is taken, but for what the target takes. A piece
 * that leaves takes room where it goes, and makes two freed rooms beside it one. What is pending takes some, too, in
 * steps that are counted already.
 */
export const takers = (board: Board, freed: number, pending: number): number =>
  Math.max(0, Math.ceil((bits(freed & ~bit(board.target)) - pending) / 2));

const bits = (set: number): number => {
  let count = 0;
  for (let rest = set; rest; rest &= rest - 1) count++;
  return count;
};

/** One of several things that must happen, at the least: what it costs, and slots that donors must give for it. */
interface Option {
  steps: number;
  bytes: number;
  exposed: number;
  asked: number;
  /** Whether it gives up the recovery partition's place; open where it says nothing. */
  givesUp?: 0 | 1;
}

const FREE: Option = { steps: 0, bytes: 0, exposed: 0, asked: 0 };

/**
 * Lower bounds for all that can become of a skeleton: one for each way in which its heaviest pieces can go, over
 * their own place or clear of it, with and without further copies of files. Empty where nothing can.
 */
export function boundsOf(board: Board, aim: Aim, at: Skeleton, reach: Reach, targetMoves: boolean): Bound[] {
  if (!leastPlaces(at.edges, at.count, reach.all)) return [];
  const asked = demanded(board, at, reach);
  if (asked === Infinity) return [];
  const slotBytes = board.slot * board.disk.sectorSize;
  const grown = aim.goal - board.pieces[board.target]!.sectors;
  const free = freeSlots(board, at, reach);
  const room = aim.end >= 0 ? Infinity : free + lentSlots(board, at);
  const missing = aim.end >= 0 ? 0 : Math.ceil(grown / board.slot - free - 1e-6);
  const taking = takers(board, at.freed, at.pending.length);
  const apart = comingBack(board, at, targetMoves);
  const found: Bound[] = [];
  const idleOf = (slots: number): number =>
    Math.max(0, slots * slotBytes - reach.slack - grown * board.disk.sectorSize);
  const combine = (options: readonly Option[], least: number, more: number, copied: boolean): void => {
    const sum = (pick: (option: Option) => number) => options.reduce((all, one) => all + pick(one), 0);
    const slots = Math.max(least, ...options.map((one) => one.asked));
    const shrunk = leastBytes(reach.hull, slots);
    if (shrunk === Infinity) return;
    const donors = slots <= 0 ? 0 : reach.largest.findIndex((total) => total >= slots) + 1;
    const bound: Bound = {
      steps:
        at.steps +
        Math.max(
          sum((one) => one.steps),
          taking,
        ) +
        (at.extended ? 0 : 1) +
        more +
        donors,
      bytes: at.bytes + sum((one) => one.bytes) + Math.ceil(shrunk / reach.grain - 1e-6) * reach.grain,
      exposed: at.exposed + sum((one) => one.exposed),
      // What a volume gives before its files are copied on is not given in the end.
      idle: at.remade !== 0 || copied ? 0 : idleOf(slots),
      givesUp: 0,
    };
    const said = options.find((one) => one.givesUp !== undefined)?.givesUp;
    if (said === 1 || (apart > 0 && said === undefined)) found.push({ ...bound, givesUp: 1 });
    if (said !== 1) found.push({ ...bound, bytes: bound.bytes + (said === 0 ? 0 : apart) });
  };
  const ways = at.extended ? [[FREE]] : optionsOf(board, aim, at, reach, targetMoves, room, false);
  for (const options of ways) combine(options, Math.max(asked, missing), 0, false);
  if (at.extended) return found;
  const copy = copyOf(board, aim, at, reach);
  if (!copy) return found;
  for (const options of optionsOf(board, aim, at, reach, targetMoves, room, true)) {
    combine(options, Math.max(asked, copy.asked), copy.steps, true);
  }
  return found;
}

/**
 * Bytes that it takes at the least to bring the recovery partition behind Windows again, where other bounds do
 * not count them: it was moved before and stands elsewhere now.
 */
function comingBack(board: Board, at: Skeleton, targetMoves: boolean): number {
  if (board.recovery < 0 || at.place[board.recovery]! < 0) return 0;
  if (targetMoves && board.windows === board.target && at.targetMoves === 0) return 0;
  const index = at.order.indexOf(board.recovery);
  const windows = at.order.indexOf(board.windows);
  if (index < 0 || windows < 0 || index === windows + 1) return 0;
  const between = at.order.slice(Math.min(index, windows), Math.max(index, windows) + 1);
  const moving = between
    .filter((id) => id !== board.target || (targetMoves && at.targetMoves < MOST_TARGET_MOVES))
    .map((id) => board.pieces[id]!.moveBytes);
  return Math.min(...moving);
}

/** Slots that the skeleton's own places ask of the donors; Infinity: more than they have. */
function demanded(board: Board, at: Skeleton, reach: Reach): number {
  const isDonor = (relief: number): boolean => relief < board.pieces.length;
  const amounts = reach.free.slice();
  const least = new Map<number, number>();
  let joint = 0;
  for (let round = 0; round < 2 * board.pieces.length; round++) {
    const demand = contradiction(at.edges, at.count, amounts, isDonor);
    if (!demand) break;
    if (demand.times.size === 0) return Infinity;
    joint = Math.max(joint, Math.ceil(demand.need / Math.max(...demand.times.values())));
    for (const [relief, times] of demand.times) {
      const alone =
        demand.times.size === 1 ? Math.max(1, Math.ceil(demand.need / times)) : reach.all[relief]!;
      if (alone > reach.all[relief]!) return Infinity;
      if (demand.times.size === 1) least.set(relief, Math.max(least.get(relief) ?? 0, alone));
      amounts[relief] = Math.max(amounts[relief]!, alone);
    }
  }
  let single = 0;
  for (const amount of least.values()) single += amount;
  return Math.max(single, joint);
}

/** Every combination of what must still happen to the target and to the heaviest piece that is in its way. */
function optionsOf(
  board: Board,
  aim: Aim,
  at: Skeleton,
  reach: Reach,
  targetMoves: boolean,
  room: number,
  copied: boolean,
): Option[][] {
  // The target stays where it is from here on, so its end must fit there; or it moves once more.
  const stays = !targetMoves || at.targetMoves > 0 ? restingOptions(board, aim, at, reach, room, copied) : [];
  if (!targetMoves || at.targetMoves >= MOST_TARGET_MOVES) return stays;
  const target = board.pieces[board.target]!;
  const own = movings(target, room);
  const heavy = heaviestUnmoved(board, at);
  if (!heavy) return [...stays, ...own.map((one) => [one])];
  const { slot, area } = board;
  const others: Option[] = copied
    ? [{ steps: 0, bytes: heavy.moveBytes, exposed: 0, asked: 0 }]
    : heavy.movers | heavy.moversOnceDecrypted
      ? movings(heavy, room)
      : [];
  // It stays: then the target ends up on one side of it, whole.
  if (heavy.first - area.first >= aim.goal) others.push(FREE);
  const behind =
    aim.end >= 0 ? 0 : Math.ceil((aim.goal + heavy.first + heavy.slots * slot - area.end) / slot);
  const most = heavy.shrinks.length > 0 ? reach.all[heavy.id]! : 0;
  others.push(...staysBefore(board, at, heavy, behind, most));
  return [...stays, ...own.flatMap((one) => others.map((other) => [one, other]))];
}

/** What must still happen when the target moves no more. */
function restingOptions(
  board: Board,
  aim: Aim,
  at: Skeleton,
  reach: Reach,
  room: number,
  copied: boolean,
): Option[][] {
  const way = clearing(board, aim, at, reach);
  if (!way) return [];
  const asked = askedBehind(board, aim, at, reach, 0);
  if (asked === Infinity) return [];
  const plain: Option = { steps: way.steps, bytes: way.bytes, exposed: 0, asked };
  // Where Windows went, the recovery partition has to be behind it, or it is given up.
  const index = board.recovery < 0 ? -1 : at.order.indexOf(board.recovery);
  const hangs = board.windows === board.target && index >= 0 && at.place[board.target]! >= 0;
  const left = board.windows === board.target && index >= 0 && index < at.order.indexOf(board.target);
  const rests: Option[] = [hangs || left ? { ...plain, givesUp: 1 } : plain];
  if (hangs || left) {
    const recovery = board.pieces[board.recovery]!;
    const slots = recovery.shrinks.length > 0 ? 0 : recovery.slots - recovery.asideMost;
    const both = askedBehind(board, aim, at, reach, slots);
    const comes = left ? { bytes: plain.bytes + recovery.moveBytes, steps: Math.max(1, plain.steps) } : {};
    if (both < Infinity) rests.push({ ...plain, ...comes, asked: both, givesUp: 0 });
  }
  const { heaviest } = way;
  if (!heaviest || copied) return rests.map((rest) => [rest]);
  const ways = movings(heaviest, room).flatMap((one) =>
    one.exposed > 0 ? sliding(board, aim, at, reach, heaviest, one) : [one],
  );
  return rests.flatMap((rest) =>
    ways.map((one) => [rest, { ...one, bytes: one.bytes - heaviest.moveBytes, steps: 0 }]),
  );
}

/**
 * A piece that goes over its own place stays before its right neighbour: it has to be shrunk so that it fits there
 * behind the target's new end, or the neighbour goes as well.
 */
function sliding(
  board: Board,
  aim: Aim,
  at: Skeleton,
  reach: Reach,
  piece: Piece,
  exposed: Option,
): Option[] {
  const target = board.pieces[board.target]!;
  if (at.place[board.target]! >= 0 || at.place[piece.id]! >= 0 || piece.kind !== 'primary') return [exposed];
  const right = at.order[at.order.indexOf(piece.id) + 1];
  if (right === undefined && aim.end >= 0) return [exposed];
  const neighbour = right === undefined ? null : board.pieces[right]!;
  if (neighbour && at.place[neighbour.id]! >= 0) return [exposed];
  const limit = neighbour ? neighbour.first : board.area.end;
  const asked = Math.ceil((target.first + aim.goal + piece.slots * board.slot - limit) / board.slot);
  if (asked <= 0) return [exposed];
  const most = piece.shrinks.length > 0 ? reach.all[piece.id]! : 0;
  const options: Option[] = asked <= most ? [{ ...exposed, asked }] : [];
  const out = neighbour && cheapestWayOut(at, neighbour);
  // Where the neighbour is in the target's way itself, its going is counted already.
  const counted = neighbour !== null && neighbour.first < target.first + aim.goal;
  if (out) options.push({ ...exposed, bytes: exposed.bytes + (counted ? 0 : out.bytes) });
  return options;
}

/** Slots that donors must give so that a target that moved ends on the disk, with `more` slots behind it. */
function askedBehind(board: Board, aim: Aim, at: Skeleton, reach: Reach, more: number): number {
  const place = at.place[board.target]!;
  if (place < 0 || aim.end >= 0) return 0;
  const last = Math.floor((board.area.end - aim.goal) / board.slot) - more;
  const edges = [...at.edges, { from: place, to: 0, rigid: -last, loose: -last, relief: NONE }];
  return demanded(board, { ...at, edges }, reach);
}

/**
 * The heaviest piece stays and the target ends up behind it, which takes `behind` slots of the piece. The recovery
 * partition is Windows' neighbour there only if it comes along.
 */
function staysBefore(board: Board, at: Skeleton, heavy: Piece, behind: number, most: number): Option[] {
  const fits = (slots: number): boolean => slots <= 0 || slots <= most;
  const stays = (slots: number, more: Partial<Option> = {}): Option[] =>
    fits(slots) ? [{ ...FREE, asked: Math.max(0, slots), ...more }] : [];
  if (board.recovery < 0 || board.windows !== board.target) return stays(behind);
  const recovery = board.pieces[board.recovery]!;
  const order = at.order.indexOf(board.recovery);
  const comes = order >= 0 && order < at.order.indexOf(heavy.id);
  const along = comes ? { bytes: recovery.moveBytes, steps: 1 } : {};
  const slots = recovery.shrinks.length > 0 ? 0 : recovery.slots - recovery.asideMost;
  return [...stays(behind, { givesUp: 1 }), ...stays(behind + slots, { ...along, givesUp: 0 })];
}

/** A move over the piece's own place, or clear of it, for which there must be room. */
function movings(piece: Piece, room: number): Option[] {
  const { moveBytes: bytes } = piece;
  if (bytes === 0) return [{ steps: 1, bytes, exposed: 0, asked: 0 }];
  const twice = piece.shrinks.length > 0 ? 2 : 1;
  const asked = Math.max(0, Math.ceil((piece.slots - room) / twice - 1e-6));
  return [
    { steps: 1, bytes, exposed: bytes, asked: 0 },
    { steps: 1, bytes, exposed: 0, asked },
  ];
}

/** The piece that copies the most when it is moved, of those that stand where they were found and are to stay. */
function heaviestUnmoved(board: Board, at: Skeleton): Piece | null {
  let heaviest: Piece | null = null;
  for (const id of at.order) {
    const piece = board.pieces[id]!;
    if (id === board.target || at.place[id]! >= 0) continue;
    if (!at.last && (piece.deletable || piece.asideBytes >= 0)) continue;
    if (!at.last && piece.copies.length > 0 && board.outside.length > 0) continue;
    if (piece.moveBytes > (heaviest?.moveBytes ?? 0)) heaviest = piece;
  }
  return heaviest;
}

/** What a further copy of files costs in steps over a move, and the room that it asks for; null: none can be. */
function copyOf(board: Board, aim: Aim, at: Skeleton, reach: Reach): { steps: number; asked: number } | null {
  let asked = Infinity;
  let steps = 2;
  for (const piece of board.pieces) {
    if (piece.copies.length === 0 || at.remade & bit(piece.id) || !at.order.includes(piece.id)) continue;
    if (!(piece.movers | piece.moversOnceDecrypted)) steps = 0;
    const anew = piece.slots - reach.free[board.pieces.length + piece.id]!;
    const outside = !at.last && board.outside.length > 0;
    const room = reach.unallocated + lentSlots(board, at) + freed(board, at);
    asked = Math.min(asked, outside || aim.end >= 0 ? 0 : Math.ceil(anew - room - 1e-6));
  }
  return asked === Infinity ? null : { steps, asked };
}

/** Slots of what may be deleted or was, and what volumes that were made anew gave back. */
const freed = (board: Board, at: Skeleton): number =>
  board.pieces.reduce((sum, piece) => {
    if (piece.id === board.target) return sum;
    if (piece.deletable && (!at.last || !at.order.includes(piece.id))) return sum + piece.slots;
    return at.remade & bit(piece.id) ? sum + piece.slots : sum;
  }, 0);

/** No step but the last can be anything else than a move of the target. */
export const MOST_TARGET_MOVES = 7;

/** What it takes at the least to get everything out of the way that lies where the target is to end. */
function clearing(board: Board, aim: Aim, at: Skeleton, reach: Reach): Way | null {
  const { slot } = board;
  const place = at.place[board.target]!;
  const greatest = at.count > 1 ? greatestPlaces(at.edges, at.count, reach.all) : null;
  const least = place < 0 ? null : leastPlaces(at.edges, at.count, reach.all);
  const start = place < 0 ? board.pieces[board.target]!.first : least![place]! * slot;
  const end = start + aim.goal;
  const bound: Way = { steps: 0, bytes: 0, heaviest: null };
  const index = at.order.indexOf(board.target);
  for (let i = index + 1; i < at.order.length; i++) {
    const piece = board.pieces[at.order[i]!]!;
    const own = at.place[piece.id]!;
    const furthest = own < 0 ? piece.first : greatest![own]! * slot;
    if (furthest >= end) return bound;
    const cheapest = cheapestWayOut(at, piece);
    if (!cheapest) return null;
    bound.steps += cheapest.steps;
    bound.bytes += cheapest.bytes;
    const stays = at.last || !(piece.deletable || piece.asideBytes >= 0);
    if (stays && piece.moveBytes > (bound.heaviest?.moveBytes ?? 0)) bound.heaviest = piece;
  }
  const bounded = aim.end < 0 ? board.area.end : Infinity;
  return end > bounded ? null : bound;
}

/** The fewest steps and bytes by which a piece can leave its place. */
function cheapestWayOut(at: Skeleton, piece: Piece): Cost | null {
  const way: Cost = { steps: Infinity, bytes: Infinity };
  const may = (steps: number, bytes: number): void => {
    way.steps = Math.min(way.steps, steps);
    way.bytes = Math.min(way.bytes, bytes);
  };
  if (piece.movers | (at.decrypted & bit(piece.id) ? piece.moversOnceDecrypted : 0)) may(1, piece.moveBytes);
  else if (piece.moversOnceDecrypted) may(2, piece.moveBytes + piece.decryptBytes);
  if (piece.copies.length > 0) {
    if (!(at.remade & bit(piece.id))) may(piece.movers ? 1 : 3, piece.copyBytes);
    if (!at.last && at.outsideLeft.length > 0) may(4, 2 * piece.copyBytes);
  }
  if (!at.last && piece.deletable) may(1, 0);
  if (!at.last && piece.asideBytes >= 0) may(2, 2 * piece.asideBytes);
  return way.steps === Infinity ? null : way;
}
