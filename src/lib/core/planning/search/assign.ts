import { computeAllowedIdle } from '../usual';
import type { SearchContext } from './context';
import { findCheapestAmounts, type Amounted, type ConstraintSystem, type SlackVariable } from './amounts';
import type { SlackLimits } from './slackLimits';
import { findPositiveCycle, type Amounts, type CycleCut } from './differenceConstraints';
import { bit, endSlack, numberRegrownSlack, slackCount, type Skeleton } from './skeleton';
import type { SearchProblem, Smaller } from './searchProblem';

/** A donor that a route shrinks, and how. */
export interface Used {
  block: number;
  way: Smaller;
}

/** A skeleton with its amounts. */
export interface Assignment {
  skeleton: Skeleton;
  used: readonly Used[];
  amounts: Amounts;
  /** Bytes copied in all. */
  bytes: number;
  /** Slots that are given in the end. */
  given: number;
}

/**
 * Where a donor may give more than is needed so that less is copied, up to so many amounts are listed one by one; of
 * more, the two ends.
 */
const MAX_TRADES = 24;

/** The slacks as if nothing but what is given in the end cost anything. */
const byGiven = (slacks: readonly SlackVariable[]): SlackVariable[] =>
  slacks.map((slack) => {
    const cost = (slots: number): number => (slack.counts ? slots : 0);
    const corners = [0, slack.most].map((slots) => ({ slots, bytes: cost(slots) }));
    return { ...slack, cost, corners, grain: 1 };
  });

/**
 * The assignment that gives the least, but not less than the target takes. What is given the least on its own is where
 * it is looked for first; halving makes sure.
 * @param cheapest the amounts that copy the fewest bytes where no more than so much is given
 */
function leastGiven(
  system: ConstraintSystem,
  cheapest: (most: number) => Amounted | null,
  grown: number,
  first: Amounted,
  demands: CycleCut[],
): Amounted {
  const thrifty = findCheapestAmounts({ ...system, slacks: byGiven(system.slacks) }, Infinity, demands);
  const guess = Math.max(grown, thrifty?.given ?? grown);
  let best = first;
  let low = grown;
  let next = Math.min(guess, best.given - 1);
  while (low < best.given) {
    const settled = cheapest(next);
    if (settled) best = settled;
    else low = next + 1;
    // A guess that is enough: would one less do as well?
    next = settled && next === guess ? Math.max(low, next - 1) : Math.floor((low + best.given) / 2);
  }
  return best;
}

/**
 * Settles who is shrunk and by how much, with exactly `donors` shrink steps: every set of donors that resolves
 * all contradictions, each with the amounts that copy the fewest bytes, and those that leave less idle space
 * for more bytes.
 * @param wanted false: a set that costs so much, and gives so many slots in the end, is not asked for
 */
export function listAssignments(
  { problem, limits }: SearchContext,
  skeleton: Skeleton,
  donors: number,
  grown: number,
  wanted: (bytes: number, given: number) => boolean,
): Assignment[] {
  const { edges, count } = skeleton;
  const added = grown * problem.slot * problem.disk.sectorSize;
  const mostKept = grown + Math.floor(computeAllowedIdle(added) / (problem.slot * problem.disk.sectorSize));
  const found: Assignment[] = [];
  const free = freeSlacks(problem, skeleton, limits);
  const seen = new Set<string>();
  const candidates = donorsOf(problem, skeleton);

  const settle = (used: readonly Used[]): void => {
    const slacks = [...free, ...used.map((one) => slackOfDonor(problem, skeleton, one))];
    const before = skeleton.bytes + decryptions(problem, skeleton, used).bytes;
    if (!wanted(before, grown)) return;
    const demands: CycleCut[] = [];
    const system = { edges, count, slacks, slackCount: slackCount(problem) };
    const cheapest = (most: number) => findCheapestAmounts(system, most, demands);
    const take = ({ amounts, bytes, given }: Amounted): void => {
      if (wanted(before + bytes, given)) {
        found.push({ skeleton, used, amounts, bytes: before + bytes, given });
      }
    };
    let settled = cheapest(Infinity);
    if (!settled || !wanted(before + settled.bytes, grown)) return;
    take(settled);
    if (settled.given <= grown) return;
    const thriftiest = leastGiven(system, cheapest, grown, settled, demands);
    if (settled.given - thriftiest.given > MAX_TRADES) {
      take(thriftiest);
      // The end that copies least wastes perhaps; then the least that can be copied without waste is an end as well.
      const kept = settled.given > mostKept ? cheapest(mostKept) : null;
      if (kept) take(kept);
      return;
    }
    while (settled && settled.given > thriftiest.given) {
      settled = cheapest(settled.given - 1);
      if (settled) take(settled);
    }
  };
  const choose = (used: readonly Used[]): void => {
    const key = used
      .map(({ block, way }) => `${block}.${way.most}.${way.tools}.${way.decrypted}`)
      .sort()
      .join();
    if (seen.has(key)) return;
    seen.add(key);
    if (used.length === donors) return settle(used);
    const amounts = atMost(problem, limits, used);
    // While the places contradict each other, only a donor that the contradiction names can help; once they hold, any
    // may join.
    const names = findPositiveCycle(edges, count, amounts, (slack) => candidates.has(slack))?.times;
    if (names && names.size === 0) return;
    for (const [block, ways] of candidates) {
      if (names && !names.has(block)) continue;
      if (used.some((one) => one.block === block)) continue;
      for (const way of ways) choose([...used, { block, way }]);
    }
  };
  choose([]);
  return found;
}

/**
 * An assignment's donors shrunk once more, some of which grow back in the end: the amounts that copy the fewest bytes,
 * and those that leave the least in the end.
 * @param regrown the skeleton with what growing back asks for, and who does
 */
export function grownBack(
  { problem, limits }: SearchContext,
  regrown: Skeleton,
  { used }: Assignment,
  grown: number,
): Assignment[] {
  const { edges, count } = regrown;
  const before = regrown.bytes + decryptions(problem, regrown, used).bytes;
  const growing = used.filter(({ block }) => regrown.regrown & bit(block)).map(({ block }) => block);
  const slacks = [
    ...freeSlacks(problem, regrown, limits),
    ...used.map((one) => slackOfDonor(problem, regrown, one)),
  ];
  const system = { edges, count, slacks, slackCount: slackCount(problem) };
  const demands: CycleCut[] = [];
  /** Growing back does something: what is still given is less than what was given for a while. */
  const grows = (amounts: Amounts, block: number): boolean =>
    amounts[numberRegrownSlack(problem, block)]! < amounts[block]!;
  const cheapest = (most: number): Amounted | null => {
    for (let round = 0; round <= used.length; round++) {
      const settled = findCheapestAmounts(system, most, demands);
      const still = settled && growing.filter((block) => !grows(settled.amounts, block));
      if (!still || still.length === 0) return settled;
      const more = still.flatMap((block) => moreThanBack(problem, demands, block));
      if (more.length === 0) return null;
      demands.push(...more);
    }
    return null;
  };
  const first = cheapest(Infinity);
  if (!first) return [];
  const least = first.given > grown ? leastGiven(system, cheapest, grown, first, demands) : first;
  return [...new Set([first, least])].map(({ amounts, bytes, given }) => ({
    skeleton: regrown,
    used,
    amounts,
    bytes: before + bytes,
    given,
  }));
}

/** Demands on a donor, and on the same donor once it grew back, that ask it alone, since it gives less in the end. */
function moreThanBack(problem: SearchProblem, demands: readonly CycleCut[], block: number): CycleCut[] {
  const back = numberRegrownSlack(problem, block);
  return demands.flatMap(({ times, need }) => {
    const [own, later] = [times.get(block) ?? 0, times.get(back)];
    if (later === undefined || [...times.keys()].some((id) => id !== block && id !== back)) return [];
    return [{ times: new Map([[block, own + later]]), need: need + later }];
  });
}

/**
 * Donors whose slack the constraints name, each with the ways to shrink it that the skeleton's tools and decryptions
 * leave open.
 */
function donorsOf(problem: SearchProblem, skeleton: Skeleton): Map<number, readonly Smaller[]> {
  const named = new Map<number, readonly Smaller[]>();
  for (const { slack } of skeleton.edges) {
    if (slack < 0 || slack >= problem.blocks.length || named.has(slack)) continue;
    named.set(slack, problem.blocks[slack]!.shrinks);
  }
  return named;
}

function atMost(problem: SearchProblem, limits: SlackLimits, used: readonly Used[]): Amounts {
  const amounts = limits.free.slice();
  for (const { block, way } of used) amounts[block] = way.most;
  return amounts;
}

function slackOfDonor(problem: SearchProblem, skeleton: Skeleton, { block, way }: Used): SlackVariable {
  const { shrinkCost, corners, grain } = problem.blocks[block]!;
  const counts = ((skeleton.remade | skeleton.regrown) & bit(block)) === 0;
  return { id: block, least: 1, most: way.most, cost: shrinkCost, corners, grain, counts };
}

/** Volumes that are made anew, donors that grew back, and the disk's own end give way without a step of their own. */
function freeSlacks(problem: SearchProblem, skeleton: Skeleton, limits: SlackLimits): SlackVariable[] {
  const named = new Set(skeleton.edges.map((edge) => edge.slack));
  return [...named]
    .filter((id) => id >= problem.blocks.length)
    .map((id) => {
      const most = id >= endSlack(problem) ? limits.free[id]! : mostAnew(problem, skeleton, id);
      return {
        id,
        least: 0,
        most,
        cost: () => 0,
        corners: [
          { slots: 0, bytes: 0 },
          { slots: most, bytes: 0 },
        ],
        grain: 1,
        // The target ends with what is asked for, however small it was made anew.
        counts: id !== problem.blocks.length + problem.target,
      };
    });
}

/** Room that a volume may lose when it is made anew in the way that the skeleton chose. */
function mostAnew(problem: SearchProblem, skeleton: Skeleton, id: number): number {
  const block = id - problem.blocks.length;
  for (let one = skeleton.acts; one; one = one.before) {
    if ('way' in one.act && one.act.block === block) return one.act.way.most;
  }
  return 0;
}

/** Decryptions that shrinking asks for on top of those of the skeleton. */
export function decryptions(
  problem: SearchProblem,
  skeleton: Skeleton,
  used: readonly Used[],
): { blocks: number[]; bytes: number } {
  const blocks = used
    .filter(({ block, way }) => way.decrypted && !(skeleton.decrypted & bit(block)))
    .map(({ block }) => block);
  return { blocks, bytes: blocks.reduce((sum, block) => sum + problem.blocks[block]!.decryptBytes!, 0) };
}
