import { cheapestAmounts, type Relief, type Settled } from './amounts';
import type { Reach } from './reach';
import { contradiction, type Amounts, type Demand } from './tension';
import { bit, endRelief, reliefCount, type Skeleton } from './skeleton';
import type { Board, Smaller } from './pieces';

/** A donor that a route shrinks, and how. */
export interface Used {
  piece: number;
  way: Smaller;
}

/** A skeleton with its amounts. */
export interface Settlement {
  skeleton: Skeleton;
  used: readonly Used[];
  amounts: Amounts;
  /** Bytes copied in all. */
  bytes: number;
  /** Slots that are given in the end. */
  given: number;
}

/** Up to so many slots every trade of idle space for bytes is listed; of more the two ends only. */
const MOST_TRADES = 24;

/** The settlement that gives the least, but not less than the target takes. */
function leastGiven(cheapest: (most: number) => Settled | null, grown: number, first: Settled): Settled {
  let best = first;
  let low = grown;
  while (low < best.given) {
    const settled = cheapest(Math.floor((low + best.given) / 2));
    if (settled) best = settled;
    else low = Math.floor((low + best.given) / 2) + 1;
  }
  return best;
}

/**
 * Settles who is shrunk and by how much, with exactly `donors` shrink steps: every set of donors that resolves
 * all contradictions, each with the amounts that copy the fewest bytes, and those that leave less idle space
 * for more bytes.
 * @param wanted false: a set that costs so much, and gives so many slots in the end, is not asked for
 */
export function settlements(
  board: Board,
  skeleton: Skeleton,
  reach: Reach,
  donors: number,
  grown: number,
  wanted: (bytes: number, given: number) => boolean,
): Settlement[] {
  const { edges, count } = skeleton;
  const found: Settlement[] = [];
  const free = freeReliefs(board, skeleton, reach);
  const seen = new Set<string>();
  const candidates = donorsOf(board, skeleton);

  const settle = (used: readonly Used[]): void => {
    const reliefs = [...free, ...used.map((one) => reliefOfDonor(board, skeleton, one))];
    const before = skeleton.bytes + decryptions(board, skeleton, used).bytes;
    if (!wanted(before, grown)) return;
    const demands: Demand[] = [];
    const cheapest = (most: number) =>
      cheapestAmounts(edges, count, reliefs, reliefCount(board), most, demands);
    const take = ({ amounts, bytes, given }: Settled): void => {
      if (wanted(before + bytes, given)) {
        found.push({ skeleton, used, amounts, bytes: before + bytes, given });
      }
    };
    let settled = cheapest(Infinity);
    if (!settled || !wanted(before + settled.bytes, grown)) return;
    take(settled);
    if (settled.given <= grown) return;
    const thriftiest = leastGiven(cheapest, grown, settled);
    if (settled.given - thriftiest.given > MOST_TRADES) {
      take(thriftiest);
      return;
    }
    while (settled && settled.given > thriftiest.given) {
      settled = cheapest(settled.given - 1);
      if (settled) take(settled);
    }
  };
  const choose = (used: readonly Used[]): void => {
    const key = used
      .map(({ piece, way }) => `${piece}.${way.most}.${way.tools}.${way.decrypted}`)
      .sort()
      .join();
    if (seen.has(key)) return;
    seen.add(key);
    if (used.length === donors) return settle(used);
    const amounts = atMost(board, reach, used);
    // Whoever resolves a contradiction is among those that it names; without one anybody may join.
    const names = contradiction(edges, count, amounts, (relief) => candidates.has(relief))?.times;
    if (names && names.size === 0) return;
    for (const [piece, ways] of candidates) {
      if (names && !names.has(piece)) continue;
      if (used.some((one) => one.piece === piece)) continue;
      for (const way of ways) choose([...used, { piece, way }]);
    }
  };
  choose([]);
  return found;
}

/** Donors that the constraints name, with the ways to shrink them that the skeleton leaves open. */
function donorsOf(board: Board, skeleton: Skeleton): Map<number, readonly Smaller[]> {
  const named = new Map<number, readonly Smaller[]>();
  for (const { relief } of skeleton.edges) {
    if (relief < 0 || relief >= board.pieces.length || named.has(relief)) continue;
    named.set(relief, board.pieces[relief]!.shrinks);
  }
  return named;
}

function atMost(board: Board, reach: Reach, used: readonly Used[]): Amounts {
  const amounts = reach.free.slice();
  for (const { piece, way } of used) amounts[piece] = way.most;
  return amounts;
}

function reliefOfDonor(board: Board, skeleton: Skeleton, { piece, way }: Used): Relief {
  const { shrinkCost, corners, grain } = board.pieces[piece]!;
  const counts = (skeleton.remade & bit(piece)) === 0;
  return { id: piece, least: 1, most: way.most, cost: shrinkCost, corners, grain, counts };
}

/** Volumes that are made anew, and the disk's own end, give way without a step of their own. */
function freeReliefs(board: Board, skeleton: Skeleton, reach: Reach): Relief[] {
  const named = new Set(skeleton.edges.map((edge) => edge.relief));
  return [...named]
    .filter((id) => id >= board.pieces.length)
    .map((id) => {
      const most = id === endRelief(board) ? reach.free[id]! : mostAnew(board, skeleton, id);
      return {
        id,
        least: 0,
        most,
        cost: () => 0,
        corners: [
          { slots: 0, bytes: 0 },
          { slots: most, bytes: 0 },
        ],
        grain: 1,
        counts: true,
      };
    });
}

/** How much smaller a volume may be made anew in the way that the skeleton chose. */
function mostAnew(board: Board, skeleton: Skeleton, id: number): number {
  const piece = id - board.pieces.length;
  for (let one = skeleton.acts; one; one = one.before) {
    if ('way' in one.act && one.act.piece === piece) return one.act.way.most;
  }
  return 0;
}

/** Decryptions that shrinking asks for on top of those of the skeleton. */
export function decryptions(
  board: Board,
  skeleton: Skeleton,
  used: readonly Used[],
): { pieces: number[]; bytes: number } {
  const pieces = used
    .filter(({ piece, way }) => way.decrypted && !(skeleton.decrypted & bit(piece)))
    .map(({ piece }) => piece);
  return { pieces, bytes: pieces.reduce((sum, piece) => sum + board.pieces[piece]!.decryptBytes!, 0) };
}
