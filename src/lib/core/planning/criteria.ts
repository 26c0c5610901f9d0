import { formatDuration, formatSize } from '../units';
import type { Route } from './route';

/** What routes are judged by, exact integers; less is better in each (domain facts 8). */
export interface Criteria {
  bytesCopied: number;
  /** Bytes of moves that a power cut leaves to be resumed. */
  exposedBytes: number;
  restarts: number;
  /** Every listed step counts one; restarts are not steps. */
  steps: number;
  /** Bytes that donors gave and nobody got. */
  idle: number;
  /** 1: the recovery partition in use stood right behind Windows and does not any more. */
  givesUp: 0 | 1;
}
export type CriterionKey = keyof Criteria;

/** How a criterion is called and shown. */
export interface Criterion {
  name: string;
  /** How it stands with a route, unit included. */
  show: (route: Pick<Route, 'totals' | 'keepsRecoveryBehind'>) => string;
  /** How the best in it is called among a few routes, where it is worth pointing out. */
  best?: string;
}

/** Every criterion, in the order in which they are listed. */
export const CRITERIA: Readonly<Record<CriterionKey, Criterion>> = {
  bytesCopied: {
    name: 'Copied',
    show: ({ totals }) => formatSize(totals.bytesCopied),
    best: 'copies least',
  },
  exposedBytes: { name: 'Exposed', show: ({ totals }) => formatDuration(totals.exposedSeconds) },
  restarts: { name: 'Restarts', show: ({ totals }) => String(totals.restarts) },
  steps: { name: 'Steps', show: ({ totals }) => String(totals.steps), best: 'fewest steps' },
  idle: { name: 'Idle room', show: ({ totals }) => formatSize(totals.idle) },
  givesUp: {
    name: 'Recovery behind',
    show: ({ keepsRecoveryBehind }) => (keepsRecoveryBehind ? 'yes' : 'no'),
  },
};

export const CRITERION_KEYS = Object.keys(CRITERIA) as readonly CriterionKey[];

/** Whether `a` is no worse in all than `b`; equal counts. Written out: the search asks it all the time. */
export const covers = (a: Criteria, b: Criteria): boolean =>
  a.bytesCopied <= b.bytesCopied &&
  a.exposedBytes <= b.exposedBytes &&
  a.restarts <= b.restarts &&
  a.steps <= b.steps &&
  a.idle <= b.idle &&
  a.givesUp <= b.givesUp;

export const sameCriteria = (a: Criteria, b: Criteria): boolean => covers(a, b) && covers(b, a);

/** Whether `a` beats `b`: no worse in all and better in one. */
export const beats = (a: Criteria, b: Criteria): boolean => covers(a, b) && !covers(b, a);
