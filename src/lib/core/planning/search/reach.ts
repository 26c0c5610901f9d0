import { unallocated } from '../../disk';
import { hullOfAll, type Corner } from '../shares';
import type { Amounts } from './tension';
import type { Board } from './pieces';
import { endRelief, reliefCount } from './skeleton';

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
  /** What each piece can give by shrinking: a lower bound of the bytes for every amount. */
  hulls: readonly (readonly Corner[])[];
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
  return {
    all,
    free,
    unallocated: unallocatedSlots(board),
    grain: givers.length === 0 ? 1 : Math.min(...givers.map((piece) => piece.grain)),
    slack:
      givers.reduce((sum, piece) => sum + piece.slots * board.slot - piece.sectors, 0) *
      board.disk.sectorSize,
    hulls: board.pieces.map((piece) => hullOfAll([piece.corners])),
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
