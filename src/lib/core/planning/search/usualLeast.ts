import { MADE_ANEW, orderChanges } from '../usual';
import { countBits, lowest } from './packing';
import type { SearchProblem } from './searchProblem';
import type { Skeleton } from './skeleton';
import type { Least } from './wanted';

/** What the usual order counts at the least of all that can become of a skeleton. */
export interface UsualLeast {
  /** Where these blocks, as bits, still leave their found place, and the files of so many volumes are copied. */
  whereGo: (going: number, copies: number) => Pick<Least, 'madeAnew' | 'bootStarts' | 'orderChanges'>;
}

/** @param steps that can still be done, the target's extension left out */
export function usualLeast(problem: SearchProblem, at: Skeleton, steps: number): UsualLeast {
  const { blocks } = problem;
  const changes = leastOrderChanges(placesOf(problem, at.order), steps);
  return {
    whereGo: (going, copies) => {
      let { madeAnew, booted } = at;
      for (let rest = going; rest; rest &= rest - 1) {
        const block = blocks[lowest(rest)]!;
        if (block.bootedFrom && !block.deletable && block.copies.length === 0) booted |= 1 << block.id;
        else madeAnew += block.leavesAnew;
      }
      madeAnew = Math.max(madeAnew, at.madeAnew + copies * MADE_ANEW.copied);
      return { madeAnew, bootStarts: countBits(booted), orderChanges: changes };
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
 * Pairs that still stand the other way round once so many of them went elsewhere, at the least: whatever they are, each of the others that is
 * not in the longest row in order makes one.
 */
export function leastOrderChanges(places: readonly number[], moves: number): number {
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
