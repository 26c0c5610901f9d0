/**
 * How several donors share out an amount so that the fewest bytes are copied.
 *
 * Shrinking a donor by r slots copies cost(r) bytes: never falling, but otherwise of any shape, since used
 * clusters lie where they lie. A line below that cost that never bends downwards (its lower convex hull)
 * gives a lower bound: the flattest stretches of all donors first. Branch and bound settles the rest.
 */
export interface Giver {
  /** The most it can give, in slots. */
  most: number;
  /** Exact bytes copied when it gives `slots`; 0 for 0, never falling. */
  cost: (slots: number) => number;
  /**
   * Amounts in slots, not always whole, from 0 to `most` in rising order, between which the cost lies on or
   * above the straight line; with the bytes there, or somewhat less.
   */
  corners: readonly Corner[];
  /** Costs are whole multiples of this many bytes. */
  grain: number;
}

export interface Corner {
  slots: number;
  bytes: number;
}

export interface Shares {
  /** Slots given, in the order of the givers. */
  amounts: number[];
  bytes: number;
}

/** Branches looked at before the best so far is taken: far above what any real disk needs. */
const MAX_BRANCHES = 100_000;
/** Guards the lower bound against the rounding of doubles; it only makes the bound weaker. */
const EPSILON = 1e-6;

/** The cheapest way to give `need` slots in all, or null where the givers have less. */
export function findCheapestShares(givers: readonly Giver[], need: number): Shares | null {
  const amounts = givers.map(() => 0);
  const left = Math.max(0, need);
  if (left === 0) return { amounts, bytes: 0 };
  const open = givers
    .map((giver, index) => ({ giver, index, hull: hullOf(giver.corners) }))
    .filter(({ giver }) => giver.most > 0)
    .sort((a, b) => slopeOf(a.hull) - slopeOf(b.hull) || a.index - b.index);
  const capacity = suffixSums(open.map(({ giver }) => giver.most));
  if (capacity[0]! < left) return null;
  const grain = Math.max(1, Math.min(...open.map(({ giver }) => giver.grain)));
  const roundedUp = (bytes: number): number => Math.ceil(bytes / grain - EPSILON) * grain;
  // The hull of what the givers from each one on can give together.
  const together: Corner[][] = [[{ slots: 0, bytes: 0 }]];
  for (const { hull } of [...open].reverse()) together.unshift(joined(hull, together[0]!));

  const leastPossible = roundedUp(heightAt(together[0]!, left));
  let best: Shares | null = null;
  let branches = 0;
  const taken = new Array<number>(open.length).fill(0);

  const descend = (i: number, rest: number, spent: number): void => {
    if (best && best.bytes <= leastPossible) return;
    if (rest === 0) {
      if (!best || spent < best.bytes) best = { amounts: [...taken], bytes: spent };
      return;
    }
    const { giver, hull } = open[i]!;
    const least = Math.max(0, rest - capacity[i + 1]!);
    const most = Math.min(giver.most, rest);
    const reach = (slots: number) => spent + heightAt(hull, slots) + heightAt(together[i + 1]!, rest - slots);
    // The bound never bends downwards, so from its lowest place it only rises, to both sides.
    const lowest = lowestOf(reach, least, most);
    for (const [from, step] of [
      [lowest, -1],
      [lowest + 1, 1],
    ] as const) {
      for (let slots = from; slots >= least && slots <= most; slots += step) {
        if (best && (roundedUp(reach(slots)) >= best.bytes || ++branches > MAX_BRANCHES)) break;
        taken[i] = slots;
        descend(i + 1, rest - slots, spent + giver.cost(slots));
        taken[i] = 0;
      }
    }
  };
  descend(0, left, 0);
  const found = best as Shares | null;
  open.forEach(({ index }, i) => (amounts[index] = found?.amounts[i] ?? 0));
  return { amounts, bytes: found?.bytes ?? 0 };
}

/** A lower bound for giving `slots` in all, in any shares; Infinity where the givers have less. */
export function findLeastBytes(hull: readonly Corner[], slots: number): number {
  if (slots <= 0) return 0;
  return slots > hull.at(-1)!.slots ? Infinity : heightAt(hull, slots);
}

/** The hull of what givers can give together: see {@link findLeastBytes}. */
export const joinHulls = (corners: readonly (readonly Corner[])[]): Corner[] =>
  corners.reduce<Corner[]>((all, one) => joined(hullOf(one), all), [{ slots: 0, bytes: 0 }]);

/** The corners that stay once every one above a line between two others is left out. */
function hullOf(corners: readonly Corner[]): Corner[] {
  const hull: Corner[] = [];
  for (const corner of corners) {
    while (hull.length > 1 && !bendsUp(hull.at(-2)!, hull.at(-1)!, corner)) hull.pop();
    hull.push(corner);
  }
  return hull;
}

const bendsUp = (a: Corner, b: Corner, c: Corner): boolean => isSteeper(b, c, a, b);

/** Price of a giver in all, a slot: the thin ones are looked at first. */
const slopeOf = (hull: readonly Corner[]): number => hull.at(-1)!.bytes / Math.max(1, hull.at(-1)!.slots);

/** The hull of giving from both: their stretches merged, the flattest first. */
function joined(a: readonly Corner[], b: readonly Corner[]): Corner[] {
  const hull: Corner[] = [{ slots: 0, bytes: 0 }];
  for (let [i, j] = [1, 1]; i < a.length || j < b.length;) {
    const fromA = j >= b.length || (i < a.length && !isSteeper(a[i - 1]!, a[i]!, b[j - 1]!, b[j]!));
    const [from, to] = fromA ? [a[i - 1]!, a[i++]!] : [b[j - 1]!, b[j++]!];
    const last = hull.at(-1)!;
    hull.push({ slots: last.slots + to.slots - from.slots, bytes: last.bytes + to.bytes - from.bytes });
  }
  return hull;
}

const isSteeper = (a: Corner, b: Corner, c: Corner, d: Corner): boolean =>
  (b.bytes - a.bytes) * (d.slots - c.slots) > (d.bytes - c.bytes) * (b.slots - a.slots);

/** The hull's bytes at an amount within it. */
function heightAt(hull: readonly Corner[], slots: number): number {
  let low = 0;
  let high = hull.length - 1;
  while (low < high) {
    const middle = (low + high) >> 1;
    if (hull[middle]!.slots >= slots) high = middle;
    else low = middle + 1;
  }
  const to = hull[low]!;
  const from = hull[low - 1];
  if (!from || to.slots === from.slots) return to.bytes;
  return from.bytes + ((to.bytes - from.bytes) * (slots - from.slots)) / (to.slots - from.slots);
}

/** Minimum of a function that bends only upwards, among the whole numbers from `least` to `most`. */
function lowestOf(height: (at: number) => number, least: number, most: number): number {
  while (least < most) {
    const middle = (least + most) >> 1;
    // On a level stretch the larger amount: the thinnest volume is emptied first.
    if (height(middle) >= height(middle + 1)) least = middle + 1;
    else most = middle;
  }
  return least;
}

function suffixSums(values: readonly number[]): number[] {
  const sums = new Array<number>(values.length + 1).fill(0);
  for (let i = values.length - 1; i >= 0; i--) sums[i] = sums[i + 1]! + values[i]!;
  return sums;
}
