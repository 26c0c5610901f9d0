import { NO_COST, type Criteria } from '../criteria';

/** Lower bounds of all that routes are judged by. What only the usual order counts is 0 where nobody asks for it. */
export interface Least extends Criteria {
  madeAnew: number;
  bootStarts: number;
  orderChanges: number;
}

/** Routes that a search still looks for. */
export interface WantedEnd {
  /** Whether what the usual order counts is asked for. */
  readonly usual: boolean;
  /** Whether no route with at least these figures is wanted any more: one that was found beats it. */
  isDominated: (least: Least) => boolean;
}

export const NO_LEAST: Least = { ...NO_COST, madeAnew: 0, bootStarts: 0, orderChanges: 0 };
