/**
 * Difference constraints between positions: every one says that one position lies at least so many slots
 * behind another. Position 0 is the disk's start and stands still. A weight may give way: where a partition is
 * made smaller, what follows it may come closer. Each such slack is a number of slots of its own.
 */
export interface Constraint {
  from: number;
  to: number;
  /** x[to] >= x[from] + weight while its slack is not used. */
  weight: number;
  /** x[to] >= x[from] + relaxedWeight - amount once its slack is used; only where `slack` is not NONE. */
  relaxedWeight: number;
  slack: number;
}

export const NONE = -1;

/** Limit of each slack, in slots; 0: not used. */
export type Amounts = Int32Array;

const weightOf = (edge: Constraint, amounts: Amounts): number => {
  if (edge.slack === NONE) return edge.weight;
  const amount = amounts[edge.slack]!;
  return amount > 0 ? Math.min(edge.weight, edge.relaxedWeight - amount) : edge.weight;
};

const FAR = 2 ** 40;

/** The least place of every position, or null where the constraints contradict each other. */
export function findLeastPlaces(
  edges: readonly Constraint[],
  count: number,
  amounts: Amounts,
): Float64Array | null {
  const at = new Float64Array(count).fill(-FAR);
  at[0] = 0;
  for (let round = 0; round <= count; round++) {
    let changed = false;
    for (const edge of edges) {
      const reach = at[edge.from]! + weightOf(edge, amounts);
      if (reach <= at[edge.to]!) continue;
      if (edge.to === 0) return null;
      at[edge.to] = reach;
      changed = true;
    }
    if (!changed) return at;
  }
  return null;
}

/** The greatest place of every position; call it only where the constraints hold together. */
export function findGreatestPlaces(
  edges: readonly Constraint[],
  count: number,
  amounts: Amounts,
): Float64Array {
  const at = new Float64Array(count).fill(FAR);
  at[0] = 0;
  for (let changed = true; changed;) {
    changed = false;
    for (const edge of edges) {
      const reach = at[edge.to]! - weightOf(edge, amounts);
      if (reach >= at[edge.from]!) continue;
      at[edge.from] = reach;
      changed = true;
    }
  }
  return at;
}

/** The furthest that `to` can lie behind `from`. */
export function findWidest(
  edges: readonly Constraint[],
  count: number,
  amounts: Amounts,
  from: number,
  to: number,
): number {
  // x[from] >= x[to] + L for the longest way from `to` to `from`, so x[to] - x[from] <= -L.
  const at = new Float64Array(count).fill(-FAR);
  at[to] = 0;
  for (let round = 0; round <= count; round++) {
    let changed = false;
    for (const edge of edges) {
      if (at[edge.from]! <= -FAR) continue;
      const reach = at[edge.from]! + weightOf(edge, amounts);
      if (reach <= at[edge.to]!) continue;
      at[edge.to] = reach;
      changed = true;
    }
    if (!changed) break;
  }
  return -at[from]!;
}

/** Slacks that have to give way so that a contradiction is resolved: the sum of times x amount must reach `need`. */
export interface CycleCut {
  /** Count of each slack, by its number. */
  times: Map<number, number>;
  need: number;
}

/**
 * The demand of one contradiction among the constraints, or null where there is none. With `times` empty
 * nothing can resolve it.
 */
export function findPositiveCycle(
  edges: readonly Constraint[],
  count: number,
  amounts: Amounts,
  allowed: (slack: number) => boolean,
): CycleCut | null {
  const at = new Float64Array(count).fill(-FAR);
  const by = new Int32Array(count).fill(-1);
  at[0] = 0;
  let last = -1;
  for (let round = 0; round <= count && last !== -2; round++) {
    last = -2;
    for (let i = 0; i < edges.length; i++) {
      const edge = edges[i]!;
      const reach = at[edge.from]! + weightOf(edge, amounts);
      if (at[edge.from]! <= -FAR || reach <= at[edge.to]!) continue;
      at[edge.to] = reach;
      by[edge.to] = i;
      last = edge.to;
      if (edge.to === 0) return demandOf(cycleFrom(edges, by, 0), amounts, allowed);
    }
  }
  if (last < 0) return null;
  // Still changing after as many rounds as there are positions: a circle that feeds itself.
  return demandOf(cycleFrom(edges, by, last), amounts, allowed);
}

/** The circle that a walk back from `start` ends in: through it, or one that feeds itself on the way. */
function cycleFrom(edges: readonly Constraint[], by: Int32Array, start: number): Constraint[] {
  const walked: Constraint[] = [];
  const seen = new Map<number, number>();
  let node = start;
  while (!seen.has(node)) {
    seen.set(node, walked.length);
    const edge = edges[by[node]!]!;
    walked.push(edge);
    node = edge.from;
  }
  return walked.slice(seen.get(node));
}

function demandOf(
  cycle: readonly Constraint[],
  amounts: Amounts,
  allowed: (slack: number) => boolean,
): CycleCut {
  const times = new Map<number, number>();
  let need = 0;
  for (const edge of cycle) {
    if (edge.slack !== NONE && allowed(edge.slack)) {
      times.set(edge.slack, (times.get(edge.slack) ?? 0) + 1);
      need += edge.relaxedWeight;
    } else need += weightOf(edge, amounts);
  }
  return { times, need };
}
