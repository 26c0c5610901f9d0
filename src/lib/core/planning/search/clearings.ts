import { leastBytes } from '../shares';
import { askedBefore, type Ask } from './ask';
import type { Reach } from './reach';
import { greatestPlaces, leastPlaces } from './tension';
import type { Board, Piece } from './pieces';
import { bit, type Aim, type Skeleton } from './skeleton';
import { cheapestWayOut, movings, staysAround, type Cost, type Option } from './ways';

/** What it takes to clear the target's way. */
interface Way extends Cost {
  /** Of what is in the way and can't be but moved or copied: what copies the most. */
  heaviest: Piece | null;
  /** All that is in the way, as bits. */
  pieces: number;
  /** What places ask of the donors for it. */
  ask: Ask;
  /** The first piece behind that keeps its place, and the sector where it starts; null: the end of the disk. */
  wall: Piece | null;
  limit: number;
}

/** What must still happen when the target moves no more. */
export function restingOptions(
  board: Board,
  aim: Aim,
  at: Skeleton,
  reach: Reach,
  room: number,
  copied: boolean,
  asked: Ask,
): Option[][] {
  return clearings(board, aim, at, reach, asked).flatMap((way) => {
    const rests = restsAt(board, aim, at, reach, way);
    const { heaviest } = way;
    if (!heaviest || copied) return rests.map((rest) => [rest]);
    const ways = movings(board, at, heaviest, room).flatMap((one) =>
      one.exposed > 0 ? sliding(board, aim, at, reach, heaviest, one) : [one],
    );
    return rests.flatMap((rest) =>
      ways.map((one) => [rest, { ...one, bytes: one.bytes - heaviest.moveBytes, steps: 0 }]),
    );
  });
}

/** Where Windows went, the recovery partition has to be behind it, or it is given up. */
function restsAt(board: Board, aim: Aim, at: Skeleton, reach: Reach, way: Way): Option[] {
  const { steps, bytes, pieces, ask } = way;
  const plain: Option = { steps, bytes, exposed: 0, pieces, asked: ask.slots, givenBytes: ask.bytes };
  if (board.recovery < 0 || board.windows !== board.target) return [plain];
  const recovery = board.pieces[board.recovery]!;
  if (way.wall === recovery) return [plain];
  const index = at.order.indexOf(recovery.id);
  const pending = at.pending.some((one) => one.piece === recovery.id);
  const left = index >= 0 && index < at.order.indexOf(board.target);
  const hangs = (index >= 0 || pending) && at.place[board.target]! >= 0;
  if (!hangs && !left) return [plain];
  const rests: Option[] = [{ ...plain, givesUp: 1 }];
  const slots = recovery.shrinks.length > 0 ? 0 : recovery.slots - recovery.asideMost;
  const both = askedBefore(board, aim, at, reach, way.limit, slots);
  if (!both) return rests;
  const counted = pending || at.place[recovery.id]! >= 0 || (pieces & bit(recovery.id)) !== 0;
  const kept: Option = { ...plain, asked: both.slots, givenBytes: both.bytes, givesUp: 0 };
  if (counted && !left) return [...rests, kept];
  const out = cheapestWayOut(at, recovery);
  if (!out) return rests;
  const goes = { steps: steps + out.steps, bytes: bytes + out.bytes, pieces: pieces | bit(recovery.id) };
  return [...rests, { ...kept, ...goes }];
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
  const options: Option[] = [];
  if (asked <= most)
    options.push({ ...exposed, asked, givenBytes: leastBytes(reach.hulls[piece.id]!, asked) });
  const out = neighbour && cheapestWayOut(at, neighbour);
  // Where the neighbour is in the target's way itself, its going is counted already.
  const counted = neighbour !== null && neighbour.first < target.first + aim.goal;
  const pieces = exposed.pieces | (neighbour ? bit(neighbour.id) : 0);
  if (out) options.push({ ...exposed, pieces, bytes: exposed.bytes + (counted ? 0 : out.bytes) });
  return options;
}

/**
 * What it takes at the least to get everything out of the way that lies where the target is to end: one way for each of
 * the pieces behind it that may be the first to keep its place.
 */
function clearings(board: Board, aim: Aim, at: Skeleton, reach: Reach, asked: Ask): Way[] {
  const { slot } = board;
  const place = at.place[board.target]!;
  const greatest = at.count > 1 ? greatestPlaces(at.edges, at.count, reach.all) : null;
  const least = place < 0 ? null : leastPlaces(at.edges, at.count, reach.all);
  const start = place < 0 ? board.pieces[board.target]!.first : least![place]! * slot;
  const end = start + aim.goal;
  const ways: Way[] = [];
  const so = { steps: 0, bytes: 0, heaviest: null as Piece | null, pieces: 0 };
  /** Whether what stands there may stay; false once nothing further behind can be any better. */
  const stop = (wall: Piece | null, limit: number): boolean => {
    if (limit < end) return true;
    const ask = askedBefore(board, aim, at, reach, limit, 0);
    if (ask) ways.push({ ...so, ask, wall, limit });
    return place >= 0 && !(ask && ask.slots <= asked.slots && ask.bytes <= asked.bytes);
  };
  for (let i = at.order.indexOf(board.target) + 1; i < at.order.length; i++) {
    const piece = board.pieces[at.order[i]!]!;
    const own = at.place[piece.id]!;
    if (own < 0 ? !stop(piece, piece.first) : greatest![own]! * slot >= end) {
      if (own < 0) return ways;
      continue;
    }
    const cheapest = cheapestWayOut(at, piece);
    if (!cheapest) return ways;
    so.steps += cheapest.steps;
    so.bytes += cheapest.bytes;
    so.pieces |= bit(piece.id);
    if (staysAround(board, at, piece) && piece.moveBytes > (so.heaviest?.moveBytes ?? 0)) so.heaviest = piece;
  }
  stop(null, aim.end < 0 ? board.area.end : Infinity);
  return ways;
}
