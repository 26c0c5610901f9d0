import { leastBytes } from '../shares';
import { demanded, type Ask } from './ask';
import { restingOptions } from './clearings';
import type { Vector } from './front';
import { landings } from './landings';
import type { Board } from './pieces';
import type { Reach } from './reach';
import { bit, leastRestarts, type Aim, type Skeleton } from './skeleton';
import { copyOf, freeSlots, givenByCopy, lentSlots, type Copying } from './space';
import { leastPlaces } from './tension';
import { FREE, type Hopeless, type Option } from './ways';

/** What a skeleton still costs at the least, whatever follows. */
export interface Bound {
  steps: number;
  bytes: number;
  exposed: number;
  /** Bytes given beyond what the target takes. */
  idle: number;
  /** 1: the recovery partition is given up as Windows' neighbour. */
  givesUp: 0 | 1;
  restarts: number;
  /** Pieces whose going is counted in it, as bits; a step of another comes on top. */
  counted: number;
  /** Steps without those that other rooms ask for: what another step comes on top of. */
  plain: number;
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

/** What is still asked for. */
export interface Asks {
  /** Steps, at the most. */
  limit: number;
  /** Whether nothing with at least these figures is. */
  closes: (least: Vector) => boolean;
}

const donorsFor = ({ largest }: Reach, slots: number): number =>
  slots <= 0 ? 0 : largest.findIndex((total) => total >= slots) + 1;

/**
 * Lower bounds for all that can become of a skeleton: one for each way in which its heaviest pieces can go, over
 * their own place or clear of it, with and without further copies of files. Empty where nothing can.
 */
export function boundsOf(
  board: Board,
  aim: Aim,
  at: Skeleton,
  reach: Reach,
  targetMoves: boolean,
  asks: Asks,
): Bound[] {
  if (!leastPlaces(at.edges, at.count, reach.all)) return [];
  const asked = demanded(board, at, reach);
  if (!asked) return [];
  const slotBytes = board.slot * board.disk.sectorSize;
  const grown = aim.goal - board.pieces[board.target]!.sectors;
  const free = freeSlots(board, at, reach);
  const room = aim.end >= 0 ? Infinity : free + lentSlots(board, at);
  const missing = aim.end >= 0 ? 0 : Math.ceil(grown / board.slot - free - 1e-6);
  const taking = takers(board, at.freed, at.pending.length);
  const apart = comingBack(board, at, targetMoves);
  const soFar = leastRestarts(at);
  const anew = givenByCopy(board, at, reach);
  const left = behindWindows(board, at) ? 0 : 1;
  const least = Math.max(asked.slots, missing);
  const found: Bound[] = [];
  const idleOf = (slots: number): number =>
    Math.max(0, slots * slotBytes - reach.slack - grown * board.disk.sectorSize);
  const hopeless: Hopeless = ({ steps, bytes, asked: slots, givenBytes }, restarts, copying) => {
    const all = at.steps + steps + (at.extended ? 0 : 1);
    const idle = idleOf(copying ? 0 : (anew ?? Math.max(slots, least)));
    return (
      all > asks.limit ||
      asks.closes([at.bytes + bytes + (givenBytes ?? 0), at.exposed, restarts, all, idle, 0])
    );
  };
  const add = (bound: Bound): void => {
    const { bytes, exposed, steps, idle, givesUp } = bound;
    if (steps <= asks.limit && !asks.closes([bytes, exposed, bound.restarts, steps, idle, givesUp])) {
      found.push(bound);
    }
  };
  const combine = (options: readonly Option[], atLeast: number, copying: Copying | null): void => {
    let [slots, given, going, bytes, exposed] = [atLeast, asked.bytes, 0, at.bytes, at.exposed];
    let [counted, said, restarts] = [apart.pieces, undefined as 0 | 1 | undefined, soFar];
    for (const one of options) {
      slots = Math.max(slots, one.asked);
      given = Math.max(given, one.givenBytes ?? 0);
      going += one.steps;
      bytes += one.bytes;
      exposed += one.exposed;
      counted |= one.pieces;
      said ??= one.givesUp;
      restarts = Math.max(restarts, one.restarts ?? 0);
    }
    if (copying && (counted & copying.pieces) === 0) bytes += copying.bytes;
    const shrunk = Math.max(given, leastBytes(reach.hull, slots));
    if (shrunk === Infinity) return;
    const plain = at.steps + going + (at.extended ? 0 : 1) + (copying?.steps ?? 0) + donorsFor(reach, slots);
    const bound: Bound = {
      steps: plain + Math.max(0, taking - going),
      plain,
      counted: copying ? counted | copying.pieces : counted,
      bytes: bytes + Math.ceil(shrunk / reach.grain - 1e-6) * reach.grain,
      exposed,
      idle: idleOf(copying ? copying.given : (anew ?? slots)),
      givesUp: 0,
      restarts,
    };
    if (at.extended && at.pending.length === 0) said = left;
    if (said === 1 || (apart.bytes > 0 && said === undefined)) add({ ...bound, givesUp: 1 });
    if (said !== 1) add({ ...bound, bytes: bound.bytes + (said === 0 ? 0 : apart.bytes) });
  };
  const copy = at.extended ? null : copyOf(board, aim, at, reach);
  const ways = at.extended
    ? [[FREE]]
    : optionsOf(board, aim, at, reach, targetMoves, room, false, asked, hopeless);
  for (const options of ways) combine(options, least, null);
  if (!copy) return found;
  for (const options of optionsOf(board, aim, at, reach, targetMoves, room, true, asked, hopeless)) {
    combine(options, Math.max(asked.slots, copy.asked), copy);
  }
  return found;
}

/** Whether the recovery partition is Windows' neighbour, or there is none that was. */
const behindWindows = (board: Board, { order }: Skeleton): boolean =>
  board.recovery < 0 || order[order.indexOf(board.windows) + 1] === board.recovery;

/**
 * Bytes that it takes at the least to bring the recovery partition behind Windows again, where other bounds do
 * not count them: it was moved before and stands elsewhere now.
 */
function comingBack(board: Board, at: Skeleton, targetMoves: boolean): { bytes: number; pieces: number } {
  const none = { bytes: 0, pieces: 0 };
  if (board.recovery < 0 || at.place[board.recovery]! < 0) return none;
  if (targetMoves && board.windows === board.target && at.targetMoves === 0) return none;
  const index = at.order.indexOf(board.recovery);
  const windows = at.order.indexOf(board.windows);
  if (index < 0 || windows < 0 || index === windows + 1) return none;
  const between = at.order
    .slice(Math.min(index, windows), Math.max(index, windows) + 1)
    .filter((id) => id !== board.target || (targetMoves && at.targetMoves < MOST_TARGET_MOVES));
  const bytes = Math.min(...between.map((id) => board.pieces[id]!.moveBytes));
  return { bytes, pieces: between.reduce((set, id) => set | bit(id), 0) };
}

/** Every combination of what must still happen to the target and to what is in its way. */
function optionsOf(
  board: Board,
  aim: Aim,
  at: Skeleton,
  reach: Reach,
  targetMoves: boolean,
  room: number,
  copied: boolean,
  asked: Ask,
  hopeless: Hopeless,
): Option[][] {
  // The target stays where it is from here on, so its end must fit there; or it moves once more.
  const stays =
    !targetMoves || at.targetMoves > 0 ? restingOptions(board, aim, at, reach, room, copied, asked) : [];
  if (!targetMoves || at.targetMoves >= MOST_TARGET_MOVES) return stays;
  return [...stays, ...landings(board, aim, at, reach, room, copied, hopeless)];
}

/** No step but the last can be anything else than a move of the target. */
export const MOST_TARGET_MOVES = 7;
