import { joinHulls, findLeastBytes } from '../shares';
import type { SlackLimits } from './slackLimits';
import { findPositiveCycle } from './differenceConstraints';
import type { SearchProblem } from './searchProblem';
import type { Skeleton } from './skeleton';

/** Demand of a skeleton's places on the donors, whoever gives it. */
export interface DonorBound {
  slots: number;
  /** Bytes that it copies at the least, where it is known who gives. */
  bytes: number;
}

/** Demand of the skeleton's own places on the donors; null: more than they have. */
export function donorLowerBound(
  problem: SearchProblem,
  at: Skeleton,
  limits: SlackLimits,
): DonorBound | null {
  const isDonor = (slack: number): boolean => slack < problem.blocks.length;
  const amounts = limits.free.slice();
  const least = new Map<number, number>();
  let joint = 0;
  let jointBytes = 0;
  for (let round = 0; round < 2 * problem.blocks.length; round++) {
    const demand = findPositiveCycle(at.edges, at.count, amounts, isDonor);
    if (!demand) break;
    if (demand.times.size === 0) return null;
    joint = Math.max(joint, leastSum(limits, demand.times, demand.need));
    if (demand.times.size > 1)
      jointBytes = Math.max(jointBytes, bytesTogether(limits, demand.times, demand.need));
    for (const [slack, times] of demand.times) {
      const alone =
        demand.times.size === 1 ? Math.max(1, Math.ceil(demand.need / times)) : limits.all[slack]!;
      if (alone > limits.all[slack]!) return null;
      if (demand.times.size === 1) least.set(slack, Math.max(least.get(slack) ?? 0, alone));
      amounts[slack] = Math.max(amounts[slack]!, alone);
    }
  }
  const ask: DonorBound = { slots: 0, bytes: 0 };
  for (const [slack, amount] of least) {
    ask.slots += amount;
    ask.bytes += findLeastBytes(limits.hulls[slack]!, amount);
  }
  return { slots: Math.max(ask.slots, joint), bytes: Math.max(ask.bytes, jointBytes) };
}

/** The fewest slots given in all so that a joint demand is met. */
function leastSum(limits: SlackLimits, times: ReadonlyMap<number, number>, need: number): number {
  let rest = need;
  let sum = 0;
  for (const [slack, count] of [...times].sort((a, b) => b[1] - a[1])) {
    if (rest <= 0) break;
    const gives = Math.min(limits.all[slack]!, Math.ceil(rest / count));
    sum += gives;
    rest -= gives * count;
  }
  return sum;
}

/** The fewest bytes copied so that a joint demand is met: the flattest stretches of all, as often as they count. */
function bytesTogether(limits: SlackLimits, times: ReadonlyMap<number, number>, need: number): number {
  const scaled = [...times].map(([slack, count]) =>
    count === 1
      ? limits.hulls[slack]!
      : limits.hulls[slack]!.map(({ slots, bytes }) => ({ slots: slots * count, bytes })),
  );
  return findLeastBytes(joinHulls(scaled), need);
}
