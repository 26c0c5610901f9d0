import type { Board } from './pieces';
import { behindWindows, bit, type Skeleton } from './skeleton';
import type { Cost } from './ways';

/** What it costs, and the pieces one of which goes for it, as bits. */
export interface Back extends Cost {
  pieces: number;
}

export const FREE: Back = { steps: 0, bytes: 0, pieces: 0 };

/**
 * What it takes at the least that the recovery partition stands behind Windows again, where nothing that goes anyway changes it;
 * null: it can't.
 * @param going pieces that go anyway, as bits
 */
export function comingBack(
  board: Board,
  at: Skeleton,
  targetMoves: boolean,
  going: number,
  walls: number,
): Back | null {
  const { recovery, windows } = board;
  if (behindWindows(board, at) || windows < 0) return FREE;
  const index = at.order.indexOf(recovery);
  const before = at.order.indexOf(windows);
  if (index < 0 || before < 0 || going & (bit(recovery) | bit(windows))) return FREE;
  if (at.extended) return null;
  const may = (id: number): boolean => {
    const piece = board.pieces[id]!;
    if (walls & bit(id) || (id === board.target && !targetMoves)) return false;
    return (piece.movers | piece.moversOnceDecrypted) !== 0 || piece.copies.length > 0;
  };
  const all = [recovery, windows].filter(may);
  const between = at.order.slice(before + 1, index).filter((id) => (going & bit(id)) === 0);
  const ways = all.map((id): Cost => ({ steps: 1, bytes: board.pieces[id]!.moveBytes }));
  if (index > before && between.every(may)) {
    const bytes = between.reduce((sum, id) => sum + board.pieces[id]!.moveBytes, 0);
    ways.push({ steps: between.length, bytes });
  }
  if (ways.length === 0) return null;
  const pieces = [...all, ...between].reduce((set, id) => set | bit(id), 0);
  return {
    steps: Math.min(...ways.map((way) => way.steps)),
    bytes: Math.min(...ways.map((way) => way.bytes)),
    pieces,
  };
}
