import type { SearchProblem, Block } from './searchProblem';
import { bit, type Skeleton } from './skeleton';

/** Least cost of something. */
export interface WayCost {
  steps: number;
  bytes: number;
}

/** The fewest steps and bytes by which a block can leave its place. */
export function findCheapestWayOut(at: Skeleton, block: Block): WayCost | null {
  const way: WayCost = { steps: Infinity, bytes: Infinity };
  const may = (steps: number, bytes: number): void => {
    way.steps = Math.min(way.steps, steps);
    way.bytes = Math.min(way.bytes, bytes);
  };
  if (block.movers | (at.decrypted & bit(block.id) ? block.moversOnceDecrypted : 0)) may(1, block.moveBytes);
  else if (block.moversOnceDecrypted) may(2, block.moveBytes + block.decryptBytes!);
  if (block.copies.length > 0) {
    if (!(at.remade & bit(block.id))) may(block.movers ? 1 : 3, block.copyBytes);
    if (!at.moved && at.outsideLeft.length > 0) may(4, 2 * block.copyBytes);
  }
  if (!at.moved && block.deletable) may(1, 0);
  if (maySetAside(at, block)) may(block.asideNeeds > 0 ? 3 : 2, 2 * block.asideBytes!);
  return way.steps === Infinity ? null : way;
}

/** Whether a block can leave its place only by a move or a copy on the disk: it can't be taken off it any more. */
export const staysAround = (problem: SearchProblem, at: Skeleton, block: Block): boolean =>
  !maySetAside(at, block) &&
  (at.moved || !(block.deletable || (block.copies.length > 0 && problem.outside.length > 0)));

/**
 * Whether a block can still be set aside. What frees room and needs none comes first, but where the Windows volume must
 * be extended for the image, that takes room which may have to be made before.
 */
export const maySetAside = ({ moved }: Pick<Skeleton, 'moved'>, block: Block): boolean =>
  block.asideBytes !== null && (!moved || block.asideNeeds > 0);
