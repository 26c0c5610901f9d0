import { cheapestShares, type Corner, type Giver } from '../shares';
import { contradiction, type Amounts, type Constraint, type Demand } from './tension';

/** A relief that may be used: how far, and what that costs. */
export interface Relief {
  id: number;
  /** Slots; `least` is 1 where using it is a step of its own. */
  least: number;
  most: number;
  cost: (slots: number) => number;
  corners: readonly Corner[];
  grain: number;
  /** Whether what it gives is given in the end; false where its volume is copied on after it was shrunk. */
  counts: boolean;
}

export interface Settled {
  amounts: Amounts;
  bytes: number;
  /** Slots that are given in the end. */
  given: number;
}

const MOST_ROUNDS = 80;
/** Up to so many values of one relief are tried one by one; beyond that only those where something bends. */
const FEW = 40;

/**
 * The amounts that resolve every contradiction and copy the fewest bytes; of several the smallest sum. Demands
 * are found one at a time, each from a contradiction that the amounts so far leave. null: they can't be met.
 * @param mostGiven no more slots than this may be given in the end
 * @param demands those that are known from an earlier question about the same constraints; more are added
 */
export function cheapestAmounts(
  edges: readonly Constraint[],
  count: number,
  reliefs: readonly Relief[],
  reliefCount: number,
  mostGiven = Infinity,
  demands: Demand[] = [],
): Settled | null {
  const index = new Map(reliefs.map((relief, i) => [relief.id, i]));
  for (let round = 0; round < MOST_ROUNDS; round++) {
    const chosen = meet(reliefs, index, demands, mostGiven);
    if (!chosen) return null;
    const amounts = new Int32Array(reliefCount);
    reliefs.forEach((relief, i) => (amounts[relief.id] = chosen[i]!));
    const demand = contradiction(edges, count, amounts, (relief) => index.has(relief));
    if (!demand) {
      const bytes = reliefs.reduce((sum, relief, i) => sum + relief.cost(chosen[i]!), 0);
      return { amounts, bytes, given: givenBy(reliefs, chosen) };
    }
    if (demand.times.size === 0) return null;
    demands.push(demand);
  }
  return null;
}

const givenBy = (reliefs: readonly Relief[], amounts: readonly number[]): number =>
  reliefs.reduce((sum, relief, i) => sum + (relief.counts ? amounts[i]! : 0), 0);

/** The cheapest amounts that meet the demands, in the order of the reliefs. */
function meet(
  reliefs: readonly Relief[],
  index: ReadonlyMap<number, number>,
  demands: readonly Demand[],
  mostGiven: number,
): number[] | null {
  const least = reliefs.map((relief) => relief.least);
  const joint: Demand[] = [];
  for (const demand of demands) {
    if (demand.times.size > 1) joint.push(demand);
    else {
      const [[id, times]] = demand.times as unknown as [[number, number]];
      const i = index.get(id)!;
      least[i] = Math.max(least[i]!, Math.ceil(demand.need / times));
    }
  }
  if (least.some((amount, i) => amount > reliefs[i]!.most)) return null;
  const open = joint.filter((demand) => shortOf(demand, index, least) > 0);
  const fits = (amounts: readonly number[]) => givenBy(reliefs, amounts) <= mostGiven;
  if (open.length === 0) return fits(least) ? least : null;
  const alike = reliefs.every((relief) => relief.counts) && mostGiven === Infinity;
  if (alike && open.length === 1 && [...open[0]!.times.values()].every((times) => times === 1)) {
    return shareOut(reliefs, index, least, open[0]!);
  }
  return tryAll(reliefs, index, least, open, mostGiven);
}

const shortOf = (demand: Demand, index: ReadonlyMap<number, number>, amounts: readonly number[]): number => {
  let short = demand.need;
  for (const [id, times] of demand.times) short -= times * amounts[index.get(id)!]!;
  return short;
};

function shareOut(
  reliefs: readonly Relief[],
  index: ReadonlyMap<number, number>,
  least: readonly number[],
  demand: Demand,
): number[] | null {
  const members = [...demand.times.keys()].map((id) => index.get(id)!);
  const givers = members.map((i): Giver => {
    const relief = reliefs[i]!;
    const base = least[i]!;
    const spent = relief.cost(base);
    return {
      most: relief.most - base,
      cost: (slots) => relief.cost(base + slots) - spent,
      corners: cornersFrom(relief, base, spent),
      grain: relief.grain,
    };
  });
  const shares = cheapestShares(givers, shortOf(demand, index, least));
  if (!shares) return null;
  const amounts = [...least];
  members.forEach((i, k) => (amounts[i] = least[i]! + shares.amounts[k]!));
  return amounts;
}

/** The corners of a cost seen from an amount that is given anyway. */
function cornersFrom(relief: Relief, base: number, spent: number): Corner[] {
  const rest = relief.corners
    .filter((corner) => corner.slots > base)
    .map((corner) => ({ slots: corner.slots - base, bytes: Math.max(0, corner.bytes - spent) }));
  if (rest.length === 0 && relief.most > base) {
    rest.push({ slots: relief.most - base, bytes: Math.max(0, relief.cost(relief.most) - spent) });
  }
  return [{ slots: 0, bytes: 0 }, ...rest];
}

/** Several demands on the same reliefs: the values of all but the last are tried, the last is what is left. */
function tryAll(
  reliefs: readonly Relief[],
  index: ReadonlyMap<number, number>,
  least: readonly number[],
  demands: readonly Demand[],
  mostGiven: number,
): number[] | null {
  let best: { amounts: number[]; bytes: number; sum: number } | null = null;
  const amounts = [...least];
  const descend = (i: number, spent: number, sum: number): void => {
    if (best && (spent > best.bytes || (spent === best.bytes && sum >= best.sum))) return;
    if (sum > mostGiven) return;
    if (i === reliefs.length) {
      if (demands.some((demand) => shortOf(demand, index, amounts) > 0)) return;
      best = { amounts: [...amounts], bytes: spent, sum };
      return;
    }
    const relief = reliefs[i]!;
    for (const amount of valuesOf(reliefs, index, amounts, least, demands, i, mostGiven - sum)) {
      amounts[i] = amount;
      descend(i + 1, spent + relief.cost(amount), sum + (relief.counts ? amount : 0));
    }
    amounts[i] = least[i]!;
  };
  descend(0, 0, 0);
  return (best as { amounts: number[] } | null)?.amounts ?? null;
}

/** Values worth trying for one relief while those before it are chosen. */
function valuesOf(
  reliefs: readonly Relief[],
  index: ReadonlyMap<number, number>,
  amounts: readonly number[],
  least: readonly number[],
  demands: readonly Demand[],
  i: number,
  mayGive: number,
): number[] {
  const { id, most, corners, counts } = reliefs[i]!;
  const from = least[i]!;
  // What the demands ask of it if those after it give all or nothing that they can.
  const needed = (after: 'all' | 'least' | 'what may be given'): number[] =>
    demands.flatMap((demand) => {
      const times = demand.times.get(id);
      if (!times) return [];
      let short = demand.need;
      for (const [other, count] of demand.times) {
        const k = index.get(other)!;
        if (k === i) continue;
        const gives = {
          all: reliefs[k]!.most,
          least: least[k]!,
          'what may be given': mayBeGiven(reliefs[k]!, mayGive),
        };
        short -= count * (k < i ? amounts[k]! : gives[after]);
      }
      return [Math.ceil(short / times)];
    });
  const low = Math.max(from, ...needed('all'));
  if (low > most) return [];
  if (i === reliefs.length - 1) return [low];
  const high = Math.min(most, Math.max(low, ...needed('least')));
  if (high - low <= FEW) return Array.from({ length: high - low + 1 }, (_, k) => low + k);
  const values = [
    low,
    high,
    ...needed('least'),
    ...corners.map((corner) => Math.ceil(corner.slots)),
    ...(mayGive < Infinity ? [...needed('what may be given'), ...(counts ? [mayGive] : [])] : []),
  ];
  return [...new Set(values.filter((value) => value >= low && value <= high))].sort((a, b) => a - b);
}

const mayBeGiven = (relief: Relief, mayGive: number): number =>
  relief.counts ? Math.min(relief.most, mayGive) : relief.most;
