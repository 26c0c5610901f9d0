import { formatDuration, formatSize } from '../units';
import type { Route } from './route';

/** Criteria of routes, exact integers; less is better in each (domain facts 8). */
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

/** Criteria of nothing at all: the least that can be said of a route of which nothing is known yet. */
export const NO_COST: Criteria = {
  bytesCopied: 0,
  exposedBytes: 0,
  restarts: 0,
  steps: 0,
  idle: 0,
  givesUp: 0,
};

/** Criteria of a route, from its figures. */
export const criteriaOf = ({ totals, keepsRecoveryBehind }: Judged): Criteria => {
  const { bytesCopied, exposedBytes, restarts, steps, idle } = totals;
  return { bytesCopied, exposedBytes, restarts, steps, idle, givesUp: keepsRecoveryBehind ? 0 : 1 };
};
type Judged = Pick<Route, 'totals' | 'keepsRecoveryBehind'>;

/** Name and display of a criterion. */
export interface Criterion {
  name: string;
  /** Value for a route, unit included. */
  show: (route: Judged) => string;
}

/** Every criterion, in the order in which they are listed. */
export const CRITERIA: Readonly<Record<CriterionKey, Criterion>> = {
  bytesCopied: {
    name: 'Data copied',
    show: ({ totals }) => formatSize(totals.bytesCopied),
  },
  exposedBytes: { name: 'Exposure', show: ({ totals }) => formatDuration(totals.exposedSeconds) },
  restarts: { name: 'Restarts', show: ({ totals }) => String(totals.restarts) },
  steps: { name: 'Steps', show: ({ totals }) => String(totals.steps) },
  idle: { name: 'Given, but nobody’s', show: ({ totals }) => formatSize(totals.idle) },
  givesUp: {
    name: 'Recovery behind Windows',
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

/** The same but for idle space. */
export const coversButIdle = (a: Criteria, b: Criteria): boolean =>
  a.bytesCopied <= b.bytesCopied &&
  a.exposedBytes <= b.exposedBytes &&
  a.restarts <= b.restarts &&
  a.steps <= b.steps &&
  a.givesUp <= b.givesUp;

export const areSameCriteria = (a: Criteria, b: Criteria): boolean => covers(a, b) && covers(b, a);

/** Whether `a` beats `b`: no worse in all and better in one. */
export const beats = (a: Criteria, b: Criteria): boolean => covers(a, b) && !covers(b, a);
