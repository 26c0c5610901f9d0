import { KEEP_NOTHING, OFFLINE_MOVER, canShrink, spareOf } from '../tools';
import type { Disk, Partition } from '../disk';

/** Bytes that a data volume could give up to the offline mover; 0 for everything that is no donor. */
export function computeSpare(disk: Disk, partition: Partition): number {
  const donor = partition.role === 'data' && canShrink(OFFLINE_MOVER, partition);
  return donor ? spareOf(disk, partition, KEEP_NOTHING) : 0;
}
