import type { Asks, Bound } from './bound';
import { BoundEvaluator } from './boundEvaluator';
import type { SearchContext } from './context';
import { findLeastPlaces } from './differenceConstraints';
import { donorLowerBound } from './donorLowerBound';
import type { Skeleton } from './skeleton';
import type { Walls } from './walls';

/**
 * Lower bounds for all that can become of a skeleton, one for each set of walls and each way in which the heaviest
 * blocks go.
 */
export class Bounds {
  /** @param walls what is known of them, shared by all searches for the same goal on the same search problem */
  constructor(
    private readonly context: SearchContext,
    private readonly walls: Walls,
    private readonly targetMoves: boolean,
    private readonly asks: Asks,
  ) {}

  /**
   * The bounds of a skeleton that leave something open: what can become of it is not beaten yet.
   * @param among those that its past left open, since none can open again; null: anything
   */
  of(at: Skeleton, among: readonly Bound[] | null): Bound[] {
    const { context, walls, targetMoves, asks } = this;
    const { problem, limits } = context;
    const evaluator = new BoundEvaluator(context, walls, targetMoves, asks, at);
    const candidates = evaluator.candidates(among);
    if (candidates.length === 0 || !findLeastPlaces(at.edges, at.count, limits.all)) return [];
    const asked = donorLowerBound(problem, at, limits);
    if (asked) for (const candidate of candidates) evaluator.consider(candidate, asked);
    return evaluator.found;
  }
}
