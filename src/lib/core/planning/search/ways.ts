import type { Board, Piece } from './pieces';
import { bit, type Skeleton } from './skeleton';

/** What something takes at the least. */
export interface Cost {
  steps: number;
  bytes: number;
}

/** The fewest steps and bytes by which a piece can leave its place. */
export function cheapestWayOut(at: Skeleton, piece: Piece): Cost | null {
  const way: Cost = { steps: Infinity, bytes: Infinity };
  const may = (steps: number, bytes: number): void => {
    way.steps = Math.min(way.steps, steps);
    way.bytes = Math.min(way.bytes, bytes);
  };
  if (piece.movers | (at.decrypted & bit(piece.id) ? piece.moversOnceDecrypted : 0)) may(1, piece.moveBytes);
  else if (piece.moversOnceDecrypted) may(2, piece.moveBytes + piece.decryptBytes!);
  if (piece.copies.length > 0) {
    if (!(at.remade & bit(piece.id))) may(piece.movers ? 1 : 3, piece.copyBytes);
    if (!at.moved && at.outsideLeft.length > 0) may(4, 2 * piece.copyBytes);
  }
  if (!at.moved && piece.deletable) may(1, 0);
  if (!at.moved && piece.asideBytes !== null) may(2, 2 * piece.asideBytes!);
  return way.steps === Infinity ? null : way;
}

/** Whether a piece can leave its place only by a move or a copy on the disk: it can't be taken off it any more. */
export const staysAround = (board: Board, at: Skeleton, piece: Piece): boolean =>
  at.moved ||
  !(piece.deletable || piece.asideBytes !== null || (piece.copies.length > 0 && board.outside.length > 0));
