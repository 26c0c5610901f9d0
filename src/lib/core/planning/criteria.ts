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
  unit: 'bytes' | 'count' | 'yes-or-no';
  /** How the best in it is called among a few routes, where it is worth pointing out. */
  best?: string;
}

/** Every criterion, in the order in which they are listed. */
export const CRITERIA: Record<CriterionKey, Criterion> = {
  bytesCopied: { name: 'Copied', unit: 'bytes', best: 'copies least' },
  exposedBytes: { name: 'Exposed', unit: 'bytes' },
  restarts: { name: 'Restarts', unit: 'count' },
  steps: { name: 'Steps', unit: 'count', best: 'fewest steps' },
  idle: { name: 'Idle', unit: 'bytes' },
  givesUp: { name: 'Recovery gives up its place', unit: 'yes-or-no' },
};

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
