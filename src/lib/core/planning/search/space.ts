import type { Reach } from './reach';
import type { Board, Piece } from './pieces';
import type { Skeleton } from './skeleton';

/** Slots that are free for a while, since what stood there is deleted, set aside or copied out. */
function lentSlots(board: Board, at: Skeleton): number {
  return board.pieces.reduce((sum, piece) => {
    if (piece.id === board.target) return sum;
    const gone = !at.order.includes(piece.id);
    const may =
      !at.moved && (piece.asideBytes !== null || (piece.copies.length > 0 && board.outside.length > 0));
    return gone || may ? sum + piece.slots : sum;
  }, 0);
}

/** Slots of what may be deleted or was. */
const deleted = (board: Board, at: Skeleton): number =>
  board.pieces.reduce((sum, piece) => {
    const may = piece.deletable && piece.id !== board.target && (!at.moved || !at.order.includes(piece.id));
    return may ? sum + piece.slots : sum;
  }, 0);

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

/** The same for a volume whose files are copied from here on. */
export const givenBeside = (board: Board, at: Skeleton, reach: Reach, piece: Piece): number =>
  piece.slots - reach.all[piece.id]! - reach.unallocated - lentSlots(board, at) - deleted(board, at);
