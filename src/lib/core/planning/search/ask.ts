import { hullOfAll, leastBytes } from '../shares';
import type { Reach } from './reach';
import { contradiction } from './tension';
import type { Board } from './pieces';
import type { Skeleton } from './skeleton';

/** What places ask of the donors. */
export interface Ask {
  slots: number;
  /** Bytes that it copies at the least, where it is known who gives. */
  bytes: number;
}

/** What the skeleton's own places ask of the donors; null: more than they have. */
export function demanded(board: Board, at: Skeleton, reach: Reach): Ask | null {
  const isDonor = (relief: number): boolean => relief < board.pieces.length;
  const amounts = reach.free.slice();
  const least = new Map<number, number>();
  let joint = 0;
  let jointBytes = 0;
  for (let round = 0; round < 2 * board.pieces.length; round++) {
    const demand = contradiction(at.edges, at.count, amounts, isDonor);
    if (!demand) break;
    if (demand.times.size === 0) return null;
    joint = Math.max(joint, leastSum(reach, demand.times, demand.need));
    if (demand.times.size > 1)
      jointBytes = Math.max(jointBytes, bytesTogether(reach, demand.times, demand.need));
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
  return { slots: Math.max(ask.slots, joint), bytes: Math.max(ask.bytes, jointBytes) };
}

/** The fewest slots given in all so that a joint demand is met. */
function leastSum(reach: Reach, times: ReadonlyMap<number, number>, need: number): number {
  let rest = need;
  let sum = 0;
  for (const [relief, count] of [...times].sort((a, b) => b[1] - a[1])) {
    if (rest <= 0) break;
    const gives = Math.min(reach.all[relief]!, Math.ceil(rest / count));
    sum += gives;
    rest -= gives * count;
  }
  return sum;
}

/** The fewest bytes copied so that a joint demand is met: the flattest stretches of all, as often as they count. */
function bytesTogether(reach: Reach, times: ReadonlyMap<number, number>, need: number): number {
  const scaled = [...times].map(([relief, count]) =>
    count === 1
      ? reach.hulls[relief]!
      : reach.hulls[relief]!.map(({ slots, bytes }) => ({ slots: slots * count, bytes })),
  );
  return leastBytes(hullOfAll(scaled), need);
}
