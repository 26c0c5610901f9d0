import { demanded } from './ask';
import type { Asks, Bound } from './bound';
import { Look } from './look';
import type { Board } from './pieces';
import type { Reach } from './reach';
import type { Aim, Skeleton } from './skeleton';
import { leastPlaces } from './tension';
import type { Walls } from './walls';

/** Lower bounds for all that can become of a skeleton, one for each set of walls and each way in which the heaviest pieces go. */
export class Bounds {
  /** @param walls what is known of them, shared by all searches for the same goal on the same board */
  constructor(
    private readonly board: Board,
    private readonly aim: Aim,
    private readonly reach: Reach,
    private readonly walls: Walls,
    private readonly targetMoves: boolean,
    private readonly asks: Asks,
  ) {}

  /**
   * Those of a skeleton that something asked for can come of.
   * @param among what its past could hope for; null: anything
   */
  of(at: Skeleton, among: readonly Bound[] | null): Bound[] {
    const { board, aim, reach, walls, targetMoves, asks } = this;
    const look = new Look(board, aim, reach, targetMoves, asks, walls, at);
    const candidates = look.candidates(among);
    if (candidates.length === 0 || !leastPlaces(at.edges, at.count, reach.all)) return [];
    const asked = demanded(board, at, reach);
    if (asked) for (const candidate of candidates) look.consider(candidate, asked);
    return look.found;
  }
}
