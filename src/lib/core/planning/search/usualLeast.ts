import { joinHulls, findLeastBytes } from '../shares';
import { MADE_ANEW, orderChanges } from '../usual';
import type { SearchContext } from './context';
import { countBits, EPSILON, lowest } from './packing';
import type { SearchProblem } from './searchProblem';
import type { Skeleton } from './skeleton';
import type { Least } from './wanted';

/** Least that the usual order counts of all that can become of a skeleton. */
export interface UsualLeast {
  /**
   * Where these blocks, as bits, still leave their found place and these stay there, and the files of so many volumes
   * are copied.
   */
  whereGo: (
    going: number,
    walls: number,
    copies: number,
  ) => Pick<Least, 'madeAnew' | 'bootStarts' | 'orderChanges'> & { kept: Kept };
}

/**
 * What it takes that everything ends in the order as found between walls that stay, where nothing is made anew; null:
 * it can't be.
 */
interface Kept {
  donors: number;
  bytes: number;
}

const NOTHING: Kept = { donors: 0, bytes: 0 };

/** Runs once for each set of walls: the partitions between two walls share that room, the target with its goal. */
export class OrderKept {
  private readonly known = new Map<number, Kept | null>();

  constructor(private readonly context: SearchContext) {}

  within(walls: number): Kept | null {
    let kept = this.known.get(walls);
    if (kept === undefined) this.known.set(walls, (kept = this.ask(walls)));
    return kept;
  }

  private ask(walls: number): Kept | null {
    const { problem, aim, limits } = this.context;
    const { blocks, order, area, slot } = problem;
    const kept: Kept = { donors: 0, bytes: 0 };
    let start = Math.ceil(area.first / slot);
    let need = 0;
    let givers: number[] = [];
    /** Whether the room that ends here is enough, whoever gives in it. */
    const closes = (end: number): boolean => {
      const short = Math.ceil(need - (end - start) - EPSILON);
      if (short <= 0) return true;
      const mosts = givers.map((id) => limits.all[id]!).sort((a, b) => b - a);
      let rest = short;
      for (const most of mosts) {
        if (rest <= 0) break;
        kept.donors++;
        rest -= most;
      }
      kept.bytes += findLeastBytes(joinHulls(givers.map((id) => limits.hulls[id]!)), short);
      return rest <= 0;
    };
    for (const id of order) {
      const block = blocks[id]!;
      const sectors = id === problem.target ? aim.goal : block.sectors;
      const gives = block.shrinks.length > 0 ? [id] : [];
      if ((walls & (1 << id)) !== 0) {
        if (!closes(block.first / slot)) return null;
        start = block.first / slot;
        need = 0;
        givers = [];
      }
      // Partitions that may be deleted need not be there, and an end of the extended partition takes no room.
      if (block.deletable) continue;
      need += sectors / slot;
      givers.push(...gives);
    }
    return closes(aim.end >= 0 ? Infinity : area.end / slot) ? kept : null;
  }
}

/** @param steps that can still be done, the target's extension left out */
export function usualLeast(
  problem: SearchProblem,
  at: Skeleton,
  steps: number,
  orderKept: OrderKept,
): UsualLeast {
  const { blocks } = problem;
  const changes = countLeastOrderChanges(placesOf(problem, at.order), steps);
  return {
    whereGo: (going, walls, copies) => {
      let { madeAnew, booted } = at;
      for (let rest = going; rest; rest &= rest - 1) {
        const block = blocks[lowest(rest)]!;
        if (block.bootedFrom && !block.deletable && block.copies.length === 0) booted |= 1 << block.id;
        else madeAnew += block.leavesAnew;
      }
      madeAnew = Math.max(madeAnew, at.madeAnew + copies * MADE_ANEW.copied);
      const figures = { madeAnew, bootStarts: countBits(booted) };
      if (madeAnew > 0 || changes > 0) return { ...figures, orderChanges: changes, kept: NOTHING };
      const kept = orderKept.within(walls);
      return { ...figures, orderChanges: kept ? 0 : 1, kept: kept ?? NOTHING };
    },
  };
}

/** Places as found, in the order of a skeleton; the ends of the extended partition are no partitions. */
export function placesOf({ blocks, order }: SearchProblem, now: readonly number[]): number[] {
  return now
    .filter((id) => blocks[id]!.kind === 'primary' || blocks[id]!.kind === 'logical')
    .map((id) => order.indexOf(id));
}

/**
 * Pairs that still stand the other way round once so many of them went elsewhere, at the least: whatever they are, each
 * of the others that is not in the longest row in order makes one.
 */
export function countLeastOrderChanges(places: readonly number[], moves: number): number {
  if (moves === 0) return orderChanges(places);
  return Math.max(0, places.length - longestInOrder(places) - moves);
}

function longestInOrder(places: readonly number[]): number {
  const longest: number[] = [];
  places.forEach((place, i) => {
    longest[i] = 1;
    for (let k = 0; k < i; k++) {
      if (places[k]! < place) longest[i] = Math.max(longest[i]!, longest[k]! + 1);
    }
  });
  return Math.max(0, ...longest);
}
