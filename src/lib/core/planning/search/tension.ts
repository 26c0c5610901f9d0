/**
 * Difference constraints between positions: every one says that one position lies at least so many slots
 * behind another. Position 0 is the disk's start and stands still. A weight may give way: where a partition is
 * made smaller, what follows it may come closer. Each such relief is a number of slots of its own.
 */
export interface Constraint {
  from: number;
  to: number;
  /** x[to] >= x[from] + rigid while its relief is not used. */
  rigid: number;
  /** x[to] >= x[from] + loose - amount once its relief is used; only where `relief` is not NONE. */
  loose: number;
  relief: number;
}

export const NONE = -1;

/** How far each relief gives way, in slots; 0: not used. */
export type Amounts = Int32Array;

const weight = (edge: Constraint, amounts: Amounts): number => {
  if (edge.relief === NONE) return edge.rigid;
  const amount = amounts[edge.relief]!;
  return amount > 0 ? Math.min(edge.rigid, edge.loose - amount) : edge.rigid;
};

const FAR = 2 ** 40;

/** The least place of every position, or null where the constraints contradict each other. */
export function leastPlaces(
  edges: readonly Constraint[],
  count: number,
  amounts: Amounts,
): Float64Array | null {
  const at = new Float64Array(count).fill(-FAR);
  at[0] = 0;
  for (let round = 0; round <= count; round++) {
    let changed = false;
    for (const edge of edges) {
      const reach = at[edge.from]! + weight(edge, amounts);
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
export function greatestPlaces(edges: readonly Constraint[], count: number, amounts: Amounts): Float64Array {
  const at = new Float64Array(count).fill(FAR);
  at[0] = 0;
  for (let changed = true; changed;) {
    changed = false;
    for (const edge of edges) {
      const reach = at[edge.to]! - weight(edge, amounts);
      if (reach >= at[edge.from]!) continue;
      at[edge.from] = reach;
      changed = true;
    }
  }
  return at;
}

/** The furthest that `to` can lie behind `from`. */
export function widest(
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
      const reach = at[edge.from]! + weight(edge, amounts);
      if (reach <= at[edge.to]!) continue;
      at[edge.to] = reach;
      changed = true;
    }
    if (!changed) break;
  }
  return -at[from]!;
}

/** What has to give way so that a contradiction is resolved: the sum of times x amount must reach `need`. */
export interface Demand {
  /** How often each relief counts, by its number. */
  times: Map<number, number>;
  need: number;
}

/**
 * The demand of one contradiction among the constraints, or null where there is none. With `times` empty
 * nothing can resolve it.
 */
export function contradiction(
  edges: readonly Constraint[],
  count: number,
  amounts: Amounts,
  allowed: (relief: number) => boolean,
): Demand | null {
  const at = new Float64Array(count).fill(-FAR);
  const by = new Int32Array(count).fill(-1);
  at[0] = 0;
  let last = -1;
  for (let round = 0; round <= count && last !== -2; round++) {
    last = -2;
    for (let i = 0; i < edges.length; i++) {
      const edge = edges[i]!;
      const reach = at[edge.from]! + weight(edge, amounts);
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
  allowed: (relief: number) => boolean,
): Demand {
  const times = new Map<number, number>();
  let need = 0;
  for (const edge of cycle) {
    if (edge.relief !== NONE && allowed(edge.relief)) {
      times.set(edge.relief, (times.get(edge.relief) ?? 0) + 1);
      need += edge.loose;
    } else need += weight(edge, amounts);
  }
  return { times, need };
}
