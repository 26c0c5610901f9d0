import type { Preference } from './request';
import { byPreference, type Route } from './route';
import type { Vector } from './search/front';

/** The criteria of a route in the order of domain facts 8. */
export const criteriaOf = ({ totals, keepsRecoveryBehind }: Route): Vector => [
  totals.bytesCopied,
  totals.exposedBytes,
  totals.restarts,
  totals.steps,
  totals.idle,
  keepsRecoveryBehind ? 0 : 1,
];

/** Routes in the order of a preference, each with its place in the answer. */
export const inOrder = (routes: readonly Route[], prefer: Preference): number[] =>
  routes
    .map((_, i) => i)
    .sort((a, b) => byPreference(prefer, criteriaOf(routes[a]!), criteriaOf(routes[b]!)) || a - b);

/** One of the few routes that matter first, and why it is among them. */
export interface Pick {
  index: number;
  reasons: string[];
}

/**
 * The few to look at first: the best by the preference, the one that copies least, one without exposure, the one
 * with the fewest steps, and one that Windows alone can do. A route may be several of them.
 */
export function theFew(routes: readonly Route[], order: readonly number[], prefer: Preference): Pick[] {
  const picks: Pick[] = [];
  const add = (index: number | undefined, reason: string): void => {
    if (index === undefined) return;
    const known = picks.find((pick) => pick.index === index);
    if (known) known.reasons.push(reason);
    else picks.push({ index, reasons: [reason] });
  };
  const least = (criterion: number): number | undefined =>
    [...order].sort((a, b) => criteriaOf(routes[a]!)[criterion]! - criteriaOf(routes[b]!)[criterion]!)[0];
  add(order[0], BEST[prefer]);
  add(least(0), 'copies least');
  add(
    order.find((index) => routes[index]!.totals.exposedBytes === 0),
    'no exposure',
  );
  add(least(3), 'fewest steps');
  add(
    order.find((index) => routes[index]!.steps.every((step) => step.tool === 'windows')),
    'Windows only',
  );
  return picks;
}

const BEST: Record<Preference, string> = { safe: 'safest', quick: 'quickest', 'few-steps': 'shortest' };
