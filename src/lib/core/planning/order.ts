import { CRITERIA, criteriaOf, CRITERION_KEYS, type Criteria, type CriterionKey } from './criteria';
import type { Preference } from './request';
import type { Route } from './route';

/** The order in which criteria count for each preference (any other comes last), and how the first route in it is called. */
const PREFERS: Record<Preference, { order: readonly CriterionKey[]; best: string }> = {
  safe: { order: ['exposedBytes', 'idle', 'givesUp', 'restarts', 'steps', 'bytesCopied'], best: 'safest' },
  quick: { order: ['bytesCopied', 'restarts', 'steps', 'exposedBytes', 'givesUp', 'idle'], best: 'quickest' },
  'few-steps': {
    order: ['steps', 'restarts', 'bytesCopied', 'exposedBytes', 'givesUp', 'idle'],
    best: 'shortest',
  },
};

/** Compares two routes by a preference; 0 where they are alike in all. */
export function byPreference(prefer: Preference, a: Criteria, b: Criteria): number {
  const key = [...PREFERS[prefer].order, ...CRITERION_KEYS].find((one) => a[one] !== b[one]);
  return key ? a[key] - b[key] : 0;
}

/** Routes in the order of a preference, each with its place in the answer. */
export const inOrder = (routes: readonly Route[], prefer: Preference): number[] =>
  routes
    .map((_, i) => i)
    .sort((a, b) => byPreference(prefer, criteriaOf(routes[a]!), criteriaOf(routes[b]!)) || a - b);

/** Why a route is among the few to look at first: `best` by the preference, least in a criterion, or something that it can do without. */
export type Reason = 'best' | CriterionKey | 'unexposed' | 'windows-alone';

/** One of the few routes to look at first, and why it is among them. */
export interface Highlight {
  index: number;
  reasons: { code: Reason; text: string }[];
}

/**
 * The few to look at first: the best by the preference, the one that copies least, one without exposure, the one
 * with the fewest steps, and one that Windows alone can do. A route may be several of them.
 */
export function highlights(
  routes: readonly Route[],
  order: readonly number[],
  prefer: Preference,
): Highlight[] {
  const found: Highlight[] = [];
  const add = (index: number | undefined, code: Reason, text: string): void => {
    if (index === undefined) return;
    const known = found.find((one) => one.index === index);
    if (known) known.reasons.push({ code, text });
    else found.push({ index, reasons: [{ code, text }] });
  };
  const least = (key: CriterionKey): void => {
    const { best } = CRITERIA[key];
    if (!best) return;
    const [first] = [...order].sort((a, b) => criteriaOf(routes[a]!)[key] - criteriaOf(routes[b]!)[key]);
    add(first, key, best);
  };
  const first = (which: (route: Route) => boolean) => order.find((index) => which(routes[index]!));
  add(order[0], 'best', PREFERS[prefer].best);
  least('bytesCopied');
  add(
    first(({ totals }) => totals.exposedBytes === 0),
    'unexposed',
    'no exposure',
  );
  least('steps');
  add(
    first(({ steps }) => steps.every(({ tool }) => tool === 'windows')),
    'windows-alone',
    'Windows only',
  );
  return found;
}
