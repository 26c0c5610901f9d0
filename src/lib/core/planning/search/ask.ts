import { leastBytes } from '../shares';
import type { Reach } from './reach';
import { contradiction, NONE, type Constraint } from './tension';
import type { Board } from './pieces';
import type { Aim, Skeleton } from './skeleton';

/** What places ask of the donors. */
export interface Ask {
  slots: number;
  /** Bytes that it copies at the least, where it is known who gives. */
  bytes: number;
}

/** What the skeleton's own places, and `more`, ask of the donors; null: more than they have. */
export function demanded(
  board: Board,
  at: Skeleton,
  reach: Reach,
  more: readonly Constraint[] = [],
): Ask | null {
  const isDonor = (relief: number): boolean => relief < board.pieces.length;
  const edges = more.length > 0 ? [...at.edges, ...more] : at.edges;
  const amounts = reach.free.slice();
  const least = new Map<number, number>();
  let joint = 0;
  for (let round = 0; round < 2 * board.pieces.length; round++) {
    const demand = contradiction(edges, at.count, amounts, isDonor);
    if (!demand) break;
    if (demand.times.size === 0) return null;
    joint = Math.max(joint, Math.ceil(demand.need / Math.max(...demand.times.values())));
    for (const [relief, times] of demand.times) {
      const alone =
        demand.times.size === 1 ? Math.max(1, Math.ceil(demand.need / times)) : reach.all[relief]!;
      if (alone > reach.all[relief]!) return null;
      if (demand.times.size === 1) least.set(relief, Math.max(least.get(relief) ?? 0, alone));
      amounts[relief] = Math.max(amounts[relief]!, alone);
    }
  }
  const ask: Ask = { slots: 0, bytes: 0 };
  for (const [relief, amount] of least) {
    ask.slots += amount;
    ask.bytes += leastBytes(reach.hulls[relief]!, amount);
  }
  return { ...ask, slots: Math.max(ask.slots, joint) };
}

/** What donors must give so that the target ends before a place in sectors, with `more` slots behind it; null: can't be. */
export function askedBefore(
  board: Board,
  aim: Aim,
  at: Skeleton,
  reach: Reach,
  limit: number,
  more: number,
): Ask | null {
  const place = at.place[board.target]!;
  if (place < 0) return board.pieces[board.target]!.first + aim.goal <= limit ? { slots: 0, bytes: 0 } : null;
  if (limit === Infinity) return { slots: 0, bytes: 0 };
  const last = Math.floor((limit - aim.goal) / board.slot) - more;
  return demanded(board, at, reach, [{ from: place, to: 0, rigid: -last, loose: -last, relief: NONE }]);
}
