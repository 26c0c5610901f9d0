import { donorLowerBound } from './donorLowerBound';
import type { Asks, Bound } from './bound';
import { BoundEvaluator } from './boundEvaluator';
import type { SearchProblem } from './searchProblem';
import type { SlackLimits } from './slackLimits';
import type { Aim, Skeleton } from './skeleton';
import { leastPlaces } from './differenceConstraints';
import type { Walls } from './walls';

/** Lower bounds for all that can become of a skeleton, one for each set of walls and each way in which the heaviest blocks go. */
export class Bounds {
  /** @param walls what is known of them, shared by all searches for the same goal on the same search problem */
  constructor(
    private readonly problem: SearchProblem,
    private readonly aim: Aim,
    private readonly limits: SlackLimits,
    private readonly walls: Walls,
    private readonly targetMoves: boolean,
    private readonly asks: Asks,
  ) {}

  /**
   * Those of a skeleton that something asked for can come of.
   * @param among what its past could bound for; null: anything
   */
  of(at: Skeleton, among: readonly Bound[] | null): Bound[] {
    const { problem, aim, limits, walls, targetMoves, asks } = this;
    const look = new BoundEvaluator(problem, aim, limits, targetMoves, asks, walls, at);
    const candidates = look.candidates(among);
    if (candidates.length === 0 || !leastPlaces(at.edges, at.count, limits.all)) return [];
    const asked = donorLowerBound(problem, at, limits);
    if (asked) for (const candidate of candidates) look.consider(candidate, asked);
    return look.found;
  }
}
