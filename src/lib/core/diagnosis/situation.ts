import type { Disk, Extent, Partition } from '../disk';
import type { Machine } from '../survey';

/** What every family of findings looks at. */
export interface Situation {
  machine: Machine;
  disk: Disk;
  target: Partition;
  /** Partitions behind the target, in order: primary ones, or for a logical target the logical ones. */
  behind: Partition[];
  /** Unallocated pieces of 1 MiB or more; for a logical target those inside the extended partition. */
  gaps: Extent[];
  inReach: number;
}
