/**
 * How several donors share out an amount so that the fewest bytes are copied.
 *
 * Shrinking a donor by r slots copies cost(r) bytes: proportional to r, but rounded up to clusters. Emptying
 * the thinnest volumes first is best up to that rounding; a branch-and-bound search settles the rest
 * exactly, with the proportional cost as its lower bound.
 */
export interface Giver {
  /** The most it can give, in slots. */
  most: number;
  /** Exact bytes copied when it gives `slots`; 0 for 0, never falling. */
  cost: (slots: number) => number;
  /** Slots that cost nothing: room of the partition behind the end of its file system. */
  free: number;
  /** Lower bound on the cost of r slots beyond the free ones: r x `density` - `slack`. */
  density: number;
  slack: number;
  /** Costs are whole multiples of this many bytes. */
  grain: number;
}

export interface Shares {
  /** Slots given, in the order of the givers. */
  amounts: number[];
  bytes: number;
}

/** Branches looked at before the best so far is taken: far above what any real disk needs. */
const MOST_BRANCHES = 100_000;
/** Guards the lower bound against the rounding of doubles; it only makes the bound weaker. */
const EPSILON = 1e-6;

/** The cheapest way to give `need` slots in all, or null where the givers have less. */
export function cheapestShares(givers: readonly Giver[], need: number): Shares | null {
  const amounts = givers.map(() => 0);
  let left = Math.max(0, need);
  givers.forEach((giver, i) => {
    amounts[i] = Math.min(left, giver.free, giver.most);
    left -= amounts[i]!;
  });
  if (left === 0) return { amounts, bytes: 0 };

  const paid = givers
    .map((giver, index) => ({ giver, index, most: giver.most - amounts[index]! }))
    .filter(({ most }) => most > 0)
    .sort((a, b) => a.giver.density - b.giver.density || a.index - b.index);
  const capacity = suffixSums(paid.map(({ most }) => most));
  if (capacity[0]! < left) return null;
  const slack = suffixSums(paid.map(({ giver }) => giver.slack));
  const grain = Math.max(1, Math.min(...paid.map(({ giver }) => giver.grain)));
  const roundedUp = (bytes: number): number => Math.ceil(bytes / grain - EPSILON) * grain;

  /** Least cost of taking `rest` slots from the givers from index `from` on. */
  const bound = (from: number, rest: number): number => {
    let cost = -slack[from]!;
    for (let i = from; i < paid.length && rest > 0; i++) {
      const slots = Math.min(rest, paid[i]!.most);
      cost += slots * paid[i]!.giver.density;
      rest -= slots;
    }
    return cost;
  };

  const leastPossible = roundedUp(bound(0, left));
  let bestBytes = Infinity;
  let best: number[] = [];
  let branches = 0;
  const taken = new Array<number>(paid.length).fill(0);

  const descend = (i: number, rest: number, spent: number): void => {
    if (bestBytes <= leastPossible) return;
    if (rest === 0) {
      if (spent < bestBytes) [bestBytes, best] = [spent, [...taken]];
      return;
    }
    const { giver, index, most } = paid[i]!;
    const atLeast = Math.max(0, rest - capacity[i + 1]!);
    for (let slots = Math.min(most, rest); slots >= atLeast; slots--) {
      // Giving less here only moves slots to denser volumes: once the bound is passed it stays passed.
      const reach = spent + slots * giver.density - giver.slack + bound(i + 1, rest - slots);
      if (roundedUp(reach) >= bestBytes || (best.length > 0 && ++branches > MOST_BRANCHES)) break;
      taken[i] = slots;
      descend(i + 1, rest - slots, spent + giver.cost(amounts[index]! + slots));
      taken[i] = 0;
    }
  };
  descend(0, left, 0);
  paid.forEach(({ index }, i) => (amounts[index] = amounts[index]! + best[i]!));
  return { amounts, bytes: bestBytes };
}

function suffixSums(values: readonly number[]): number[] {
  const sums = new Array<number>(values.length + 1).fill(0);
  for (let i = values.length - 1; i >= 0; i--) sums[i] = sums[i + 1]! + values[i]!;
  return sums;
}
