import type { Board, Piece } from './pieces';
import { afterStep, bit, type Skeleton } from './skeleton';

/** What something takes at the least. */
export interface Cost {
  steps: number;
  bytes: number;
}

/** One of several things that must happen, at the least: what it costs, and slots that donors must give for it. */
export interface Option {
  steps: number;
  bytes: number;
  exposed: number;
  asked: number;
  /** Bytes that it copies at the least, where it is known who gives them. */
  givenBytes?: number;
  /** Pieces that go, as bits. */
  pieces: number;
  /** Restarts of the whole route that it brings with it. */
  restarts?: number;
  /** Whether it gives up the recovery partition's place; open where it says nothing. */
  givesUp?: 0 | 1;
}

export const FREE: Option = { steps: 0, bytes: 0, exposed: 0, asked: 0, pieces: 0 };

/** A move over the piece's own place, or clear of it, for which there must be room. */
export function movings(board: Board, at: Skeleton, piece: Piece, room: number): Option[] {
  const { moveBytes: bytes } = piece;
  const tools = piece.movers | piece.moversOnceDecrypted;
  const restarts = Math.min(...afterStep(board, at.restarts, tools, piece.atRestart));
  const moved = { steps: 1, bytes, pieces: bit(piece.id), restarts };
  if (bytes === 0) return [{ ...moved, exposed: 0, asked: 0 }];
  const twice = piece.shrinks.length > 0 ? 2 : 1;
  const asked = Math.max(0, Math.ceil((piece.slots - room) / twice - 1e-6));
  return [
    { ...moved, exposed: bytes, asked: 0 },
    { ...moved, exposed: 0, asked },
  ];
}

/** The fewest steps and bytes by which a piece can leave its place. */
export function cheapestWayOut(at: Skeleton, piece: Piece): Cost | null {
  const way: Cost = { steps: Infinity, bytes: Infinity };
  const may = (steps: number, bytes: number): void => {
    way.steps = Math.min(way.steps, steps);
    way.bytes = Math.min(way.bytes, bytes);
  };
  if (piece.movers | (at.decrypted & bit(piece.id) ? piece.moversOnceDecrypted : 0)) may(1, piece.moveBytes);
  else if (piece.moversOnceDecrypted) may(2, piece.moveBytes + piece.decryptBytes);
  if (piece.copies.length > 0) {
    if (!(at.remade & bit(piece.id))) may(piece.movers ? 1 : 3, piece.copyBytes);
    if (!at.moved && at.outsideLeft.length > 0) may(4, 2 * piece.copyBytes);
  }
  if (!at.moved && piece.deletable) may(1, 0);
  if (!at.moved && piece.asideBytes >= 0) may(2, 2 * piece.asideBytes);
  return way.steps === Infinity ? null : way;
}

/** Whether a piece can leave its place only by a move or a copy on the disk: it can't be taken off it any more. */
export const staysAround = (board: Board, at: Skeleton, piece: Piece): boolean =>
  at.moved ||
  !(piece.deletable || piece.asideBytes >= 0 || (piece.copies.length > 0 && board.outside.length > 0));

/** Whether nothing that costs at least so much is still asked for, with so many restarts of the whole route. */
export type Hopeless = (
  least: Pick<Option, 'steps' | 'bytes' | 'asked' | 'givenBytes'>,
  restarts: number,
  copied: boolean,
) => boolean;
