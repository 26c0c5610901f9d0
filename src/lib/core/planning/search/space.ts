import type { Reach } from './reach';
import type { Board, Piece } from './pieces';
import { bit, type Aim, type Skeleton } from './skeleton';

/** Slots that can be had on the disk without shrinking anything where it is, at the most. */
export function freeSlots(board: Board, at: Skeleton, reach: Reach): number {
  let free = reach.unallocated;
  for (const piece of board.pieces) {
    if (piece.id === board.target) continue;
    const gone = !at.order.includes(piece.id);
    const anew = (at.remade & bit(piece.id)) !== 0;
    const pending = gone && at.pending.some((one) => one.piece === piece.id);
    if (gone && !pending) free += piece.slots;
    else if (pending || anew) free += reach.free[board.pieces.length + piece.id]!;
    else if (!at.moved && piece.deletable) free += piece.slots;
    else if (!at.moved && piece.asideBytes >= 0) free += piece.asideMost;
  }
  return free;
}

/** Slots that are free for a while, since what stood there is deleted, set aside or copied out. */
export function lentSlots(board: Board, at: Skeleton): number {
  return board.pieces.reduce((sum, piece) => {
    if (piece.id === board.target) return sum;
    const gone = !at.order.includes(piece.id);
    const may = !at.moved && (piece.asideBytes >= 0 || (piece.copies.length > 0 && board.outside.length > 0));
    return gone || may ? sum + piece.slots : sum;
  }, 0);
}

/** Slots of what may be deleted or was. */
const deleted = (board: Board, at: Skeleton): number =>
  board.pieces.reduce((sum, piece) => {
    const may = piece.deletable && piece.id !== board.target && (!at.moved || !at.order.includes(piece.id));
    return may ? sum + piece.slots : sum;
  }, 0);

/** Slots that volumes gave back when they were made anew elsewhere. */
const leftBehind = (board: Board, at: Skeleton): number =>
  board.pieces.reduce((sum, piece) => (at.remade & bit(piece.id) ? sum + piece.slots : sum), 0);

/** A further copy of files: what it takes at the least. */
export interface Copying {
  /** Over those of a move. */
  steps: number;
  bytes: number;
  asked: number;
  /** Slots that are given in the end. */
  given: number;
  /** All that could be copied, as bits. */
  pieces: number;
}

/** A further copy of the files of any volume; null: none can be copied. */
export function copyOf(board: Board, aim: Aim, at: Skeleton, reach: Reach): Copying | null {
  const copying: Copying = { steps: 2, asked: Infinity, given: Infinity, bytes: Infinity, pieces: 0 };
  for (const piece of board.pieces) {
    if (piece.copies.length === 0 || at.remade & bit(piece.id) || !at.order.includes(piece.id)) continue;
    if (!(piece.movers | piece.moversOnceDecrypted)) copying.steps = 0;
    const anew = piece.slots - reach.free[board.pieces.length + piece.id]!;
    const outside = !at.moved && board.outside.length > 0;
    const room = reach.unallocated + lentSlots(board, at) + deleted(board, at) + leftBehind(board, at);
    const anywhere = outside || aim.end >= 0;
    copying.asked = Math.min(copying.asked, anywhere ? 0 : Math.ceil(anew - room - 1e-6));
    copying.given = Math.min(copying.given, anywhere ? 0 : givenBeside(board, at, reach, piece));
    copying.bytes = Math.min(copying.bytes, piece.copyBytes);
    copying.pieces |= bit(piece.id);
  }
  return copying.pieces === 0 ? null : copying;
}

/**
 * Slots given in the end, at the least, once files were copied to a new volume on the disk; null: none were. What the volume gave before
 * is not given in the end, but while the copy went on the old one, however small, stood beside the new one.
 */
export function givenByCopy(board: Board, at: Skeleton, reach: Reach): number | null {
  if (at.remade === 0) return null;
  for (let one = at.acts; one; one = one.before) {
    if (one.act.kind === 'copy-in') return givenBeside(board, at, reach, board.pieces[one.act.piece]!);
  }
  return null;
}

const givenBeside = (board: Board, at: Skeleton, reach: Reach, piece: Piece): number =>
  piece.slots - reach.all[piece.id]! - reach.unallocated - lentSlots(board, at) - deleted(board, at);
