import { criteriaOf, CRITERION_KEYS, type Criteria, type CriterionKey } from './criteria';
import type { Preference } from './request';
import type { Route } from './route';
import { compareByFirst, makeUsualKey, type Usual } from './usual';

/**
 * The order in which figures count for each preference (criteria that are not named come last), and how the first route
 * in it is called.
 */
const PREFERS: Record<Preference, { order: readonly CriterionKey[] | 'usual'; best: string }> = {
  usual: { order: 'usual', best: 'usual way' },
  safe: { order: ['exposedBytes', 'idle', 'givesUp', 'restarts', 'steps', 'bytesCopied'], best: 'safest' },
  quick: { order: ['bytesCopied', 'restarts', 'steps', 'exposedBytes', 'givesUp', 'idle'], best: 'quickest' },
  'few-steps': {
    order: ['steps', 'restarts', 'bytesCopied', 'exposedBytes', 'givesUp', 'idle'],
    best: 'shortest',
  },
};

/** Key of a route's place. */
interface Placed {
  criteria: Criteria;
  usual: Usual;
}

/** Compares two routes by a preference; 0 where they are alike in all. */
export function compareByPreference(prefer: Preference, a: Placed, b: Placed): number {
  const { order } = PREFERS[prefer];
  const keyOf = ({ criteria, usual }: Placed): number[] => [
    ...(order === 'usual' ? makeUsualKey(usual, criteria) : order.map((key) => criteria[key])),
    ...CRITERION_KEYS.map((key) => criteria[key]),
  ];
  return compareByFirst(keyOf(a), keyOf(b));
}

/** Of an answer that was kept before routes had these figures nothing is known. */
const NOT_KNOWN: Usual = { madeAnew: 0, bootStarts: 0, orderChanges: 0, waste: 0, seconds: 0 };
const usualIn = (route: Route): Usual => route.usual ?? NOT_KNOWN;
const placed = (route: Route): Placed => ({ criteria: criteriaOf(route), usual: usualIn(route) });

/** Routes in the order of a preference, each with its place in the answer. */
export const inOrder = (routes: readonly Route[], prefer: Preference): number[] =>
  routes
    .map((_, i) => i)
    .sort((a, b) => compareByPreference(prefer, placed(routes[a]!), placed(routes[b]!)) || a - b);

/** Why a route is among the few to look at first: `best` by the preference, or what it has that the best has not. */
export type Reason = 'best' | 'unexposed' | 'windows-alone' | 'quickest' | 'keeps-recovery';

/** One of the few routes to look at first, and why it is among them. */
export interface Highlight {
  index: number;
  reasons: { code: Reason; text: string }[];
}

/** A route is worth looking at for its time alone where it takes no more than this share of the best one's. */
const WORTH_ITS_TIME = 0.9;

/**
 * The few to look at first: the best by the preference, and beside it only what differs to some purpose: one without
 * exposure, one that Windows alone can do, the quickest where it saves a tenth and wastes nothing, and one that keeps
 * the recovery partition in its place. A route may be several of them; what the best has itself is said of it.
 * @param order places of the routes that are listed, in the order of the preference
 */
export function chooseHighlights(
  routes: readonly Route[],
  order: readonly number[],
  prefer: Preference,
): Highlight[] {
  const [best] = order;
  if (best === undefined) return [];
  const found: Highlight[] = [];
  const add = (index: number | undefined, code: Reason, text: string): void => {
    if (index === undefined) return;
    const known = found.find((one) => one.index === index);
    if (known) known.reasons.push({ code, text });
    else found.push({ index, reasons: [{ code, text }] });
  };
  const first = (which: (route: Route) => boolean) => order.find((index) => which(routes[index]!));
  const seconds = ({ totals }: Route): number => totals.seconds.low + totals.seconds.high;
  add(best, 'best', PREFERS[prefer].best);
  add(
    first(({ totals }) => totals.exposedBytes === 0),
    'unexposed',
    'no exposure',
  );
  add(
    first(({ steps }) => steps.every(({ tool }) => tool === 'windows')),
    'windows-alone',
    'Windows only',
  );
  const thrifty = order.filter((index) => usualIn(routes[index]!).waste === 0);
  const [quickest] = thrifty.sort((a, b) => seconds(routes[a]!) - seconds(routes[b]!));
  const saves =
    quickest !== undefined && seconds(routes[quickest]!) <= WORTH_ITS_TIME * seconds(routes[best]!);
  if (saves) add(quickest, 'quickest', 'quickest');
  if (!routes[best]!.keepsRecoveryBehind) {
    add(
      first((route) => route.keepsRecoveryBehind),
      'keeps-recovery',
      'keeps Recovery in place',
    );
  }
  return found;
}

/** The others in their order, those last that leave room unused which nobody asked for. */
export const others = (
  routes: readonly Route[],
  order: readonly number[],
  few: readonly Highlight[],
): number[] =>
  order
    .filter((index) => !few.some((one) => one.index === index))
    .sort((a, b) => Number(usualIn(routes[a]!).waste > 0) - Number(usualIn(routes[b]!).waste > 0));
