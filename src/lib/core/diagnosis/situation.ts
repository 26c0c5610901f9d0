import type { Disk, Extent, Partition } from '../disk';
import type { Machine } from '../survey';

/** What every family of findings looks at. */
export interface Situation {
  machine: Machine;
  disk: Disk;
  target: Partition;
  /** Partitions behind the target, in order, without logical drives. */
  behind: Partition[];
  /** Unallocated pieces of 1 MiB or more. */
  gaps: Extent[];
  inReach: number;
}
