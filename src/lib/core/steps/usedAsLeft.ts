import type { Disk, Partition } from '../disk';
import { findPartitionNow } from './layout';
import { computeLayouts } from './run';
import type { Step } from './step';

/** Bytes in use in a volume once these steps are done, as far as that is known: files may have come to it, or gone. */
export function countUsedAsLeft(
  disk: Disk,
  steps: readonly Step[],
  { number, volume }: Partition,
): number | null {
  const along = computeLayouts(disk, steps);
  // Steps that are for another disk leave it what it holds.
  const left = along.ok ? findPartitionNow(along.value.at(-1)!, number) : undefined;
  return left?.volume?.used ?? volume?.used ?? null;
}
