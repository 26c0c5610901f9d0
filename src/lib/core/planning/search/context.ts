import type { SearchProblem } from './searchProblem';
import type { Aim } from './skeleton';
import type { SlackLimits } from './slackLimits';

/** Constants of a whole search: the problem, what is asked of it, and how far everything can give way. */
export interface SearchContext {
  problem: SearchProblem;
  aim: Aim;
  limits: SlackLimits;
  /** Whether the order on the disk counts: then a move that restores it is worth taking for its own sake. */
  usual?: boolean;
}
