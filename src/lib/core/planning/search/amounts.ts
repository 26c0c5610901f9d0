import { findCheapestShares, type Corner, type Giver } from '../shares';
import { findPositiveCycle, type Amounts, type Constraint, type CycleCut } from './differenceConstraints';

/** A slack that may be used: how far it gives way, and what each amount of it costs in copied bytes. */
export interface SlackVariable {
  id: number;
  /**
   * The least and the most of it, in slots; `least` is 1 where using it is a step of its own, which must then do
   * something.
   */
  least: number;
  most: number;
  cost: (slots: number) => number;
  corners: readonly Corner[];
  grain: number;
  /** Whether what it gives is given in the end; false where its volume is copied on after it was shrunk. */
  counts: boolean;
}

/** Difference constraints with the slacks that may be used in them. */
export interface ConstraintSystem {
  edges: readonly Constraint[];
  /** Positions. */
  count: number;
  slacks: readonly SlackVariable[];
  /** Number of slacks that the constraints may name, whether or not they are used here. */
  slackCount: number;
}

export interface Amounted {
  amounts: Amounts;
  bytes: number;
  /** Slots that are given in the end. */
  given: number;
}

const MAX_ROUNDS = 80;
/** Up to so many values of one slack are tried one by one; beyond that only those where something bends. */
const FEW = 40;

/**
 * The amounts that resolve every contradiction and copy the fewest bytes; of several the smallest sum. A
 * demand says how much some slacks must give together; demands are found one at a time, each from a contradiction that
 * the amounts so far leave. null: no amounts resolve all of them.
 * @param mostGiven no more slots than this may be given in the end
 * @param demands those that are known from an earlier question about the same constraints; more are added
 */
export function findCheapestAmounts(
  { edges, count, slacks, slackCount }: ConstraintSystem,
  mostGiven = Infinity,
  demands: CycleCut[] = [],
): Amounted | null {
  const index = new Map(slacks.map((slack, i) => [slack.id, i]));
  for (let round = 0; round < MAX_ROUNDS; round++) {
    const chosen = meet(slacks, index, demands, mostGiven);
    if (!chosen) return null;
    const amounts = new Int32Array(slackCount);
    slacks.forEach((slack, i) => (amounts[slack.id] = chosen[i]!));
    const demand = findPositiveCycle(edges, count, amounts, (slack) => index.has(slack));
    if (!demand) {
      const bytes = slacks.reduce((sum, slack, i) => sum + slack.cost(chosen[i]!), 0);
      return { amounts, bytes, given: givenBy(slacks, chosen) };
    }
    if (demand.times.size === 0) return null;
    demands.push(demand);
  }
  return null;
}

const givenBy = (slacks: readonly SlackVariable[], amounts: readonly number[]): number =>
  slacks.reduce((sum, slack, i) => sum + (slack.counts ? amounts[i]! : 0), 0);

/** The cheapest amounts that meet all demands at once, in the order of the slacks; null: there are none. */
function meet(
  slacks: readonly SlackVariable[],
  index: ReadonlyMap<number, number>,
  demands: readonly CycleCut[],
  mostGiven: number,
): number[] | null {
  const least = slacks.map((slack) => slack.least);
  const joint: CycleCut[] = [];
  for (const demand of demands) {
    if (demand.times.size > 1) joint.push(demand);
    else {
      const [[id, times]] = demand.times as unknown as [[number, number]];
      const i = index.get(id)!;
      least[i] = Math.max(least[i]!, Math.ceil(demand.need / times));
    }
  }
  if (least.some((amount, i) => amount > slacks[i]!.most)) return null;
  const open = joint.filter((demand) => shortOf(demand, index, least) > 0);
  const fits = (amounts: readonly number[]) => givenBy(slacks, amounts) <= mostGiven;
  if (open.length === 0) return fits(least) ? least : null;
  const alike = slacks.every((slack) => slack.counts) && mostGiven === Infinity;
  if (alike && open.length === 1 && [...open[0]!.times.values()].every((times) => times === 1)) {
    return shareOut(slacks, index, least, open[0]!);
  }
  return tryAll(slacks, index, least, open, mostGiven);
}

const shortOf = (
  demand: CycleCut,
  index: ReadonlyMap<number, number>,
  amounts: readonly number[],
): number => {
  let short = demand.need;
  for (const [id, times] of demand.times) short -= times * amounts[index.get(id)!]!;
  return short;
};

function shareOut(
  slacks: readonly SlackVariable[],
  index: ReadonlyMap<number, number>,
  least: readonly number[],
  demand: CycleCut,
): number[] | null {
  const members = [...demand.times.keys()].map((id) => index.get(id)!);
  const givers = members.map((i): Giver => {
    const slack = slacks[i]!;
    const base = least[i]!;
    const spent = slack.cost(base);
    return {
      most: slack.most - base,
      cost: (slots) => slack.cost(base + slots) - spent,
      corners: cornersFrom(slack, base, spent),
      grain: slack.grain,
    };
  });
  const shares = findCheapestShares(givers, shortOf(demand, index, least));
  if (!shares) return null;
  const amounts = [...least];
  members.forEach((i, k) => (amounts[i] = least[i]! + shares.amounts[k]!));
  return amounts;
}

/** The corners of a cost that is counted from an amount on that is given anyway. */
function cornersFrom(slack: SlackVariable, base: number, spent: number): Corner[] {
  const rest = slack.corners
    .filter((corner) => corner.slots > base)
    .map((corner) => ({ slots: corner.slots - base, bytes: Math.max(0, corner.bytes - spent) }));
  if (rest.length === 0 && slack.most > base) {
    rest.push({ slots: slack.most - base, bytes: Math.max(0, slack.cost(slack.most) - spent) });
  }
  return [{ slots: 0, bytes: 0 }, ...rest];
}

/** Several demands on the same slacks: the values of all but the last are tried, the last is what is left. */
function tryAll(
  slacks: readonly SlackVariable[],
  index: ReadonlyMap<number, number>,
  least: readonly number[],
  demands: readonly CycleCut[],
  mostGiven: number,
): number[] | null {
  let best: { amounts: number[]; bytes: number; sum: number } | null = null;
  const amounts = [...least];
  const descend = (i: number, spent: number, sum: number): void => {
    if (best && (spent > best.bytes || (spent === best.bytes && sum >= best.sum))) return;
    if (sum > mostGiven) return;
    if (i === slacks.length) {
      if (demands.some((demand) => shortOf(demand, index, amounts) > 0)) return;
      best = { amounts: [...amounts], bytes: spent, sum };
      return;
    }
    const slack = slacks[i]!;
    for (const amount of valuesOf({ slacks, index, least, demands }, amounts, i, mostGiven - sum)) {
      amounts[i] = amount;
      descend(i + 1, spent + slack.cost(amount), sum + (slack.counts ? amount : 0));
    }
    amounts[i] = least[i]!;
  };
  descend(0, 0, 0);
  return (best as { amounts: number[] } | null)?.amounts ?? null;
}

/** Several cuts on the same slacks, with the least that each must give. */
interface Cuts {
  slacks: readonly SlackVariable[];
  index: ReadonlyMap<number, number>;
  least: readonly number[];
  demands: readonly CycleCut[];
}

/** Values worth trying for one slack while those before it are chosen. */
function valuesOf(
  { slacks, index, least, demands }: Cuts,
  amounts: readonly number[],
  i: number,
  mayGive: number,
): number[] {
  const { id, most, corners, counts } = slacks[i]!;
  const from = least[i]!;
  // Only amounts matter at which some demand is just met: with the slacks behind this one giving all, or nothing.
  const needed = (after: 'all' | 'least' | 'what may be given'): number[] =>
    demands.flatMap((demand) => {
      const times = demand.times.get(id);
      if (!times) return [];
      let short = demand.need;
      for (const [other, count] of demand.times) {
        const k = index.get(other)!;
        if (k === i) continue;
        const gives = {
          all: slacks[k]!.most,
          least: least[k]!,
          'what may be given': mayBeGiven(slacks[k]!, mayGive),
        };
        short -= count * (k < i ? amounts[k]! : gives[after]);
      }
      return [Math.ceil(short / times)];
    });
  const low = Math.max(from, ...needed('all'));
  if (low > most) return [];
  if (i === slacks.length - 1) return [low];
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

const mayBeGiven = (slack: SlackVariable, mayGive: number): number =>
  slack.counts ? Math.min(slack.most, mayGive) : slack.most;
