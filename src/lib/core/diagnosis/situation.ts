import type { Disk, Extent, Partition } from '../disk';
import type { Machine } from '../survey';

/** Facts that every family of findings looks at. */
export interface Situation {
  machine: Machine;
  disk: Disk;
  target: Partition;
  /** Partitions behind the target, in order: primary ones, or for a logical target the logical ones. */
  behind: Partition[];
  /**
   * Unallocated pieces of 1 MiB or more, what lies beyond the table counted in; for a logical target those inside the
   * extended partition.
   */
  gaps: Extent[];
  /**
   * What lies behind the area that the table covers, on a disk that was enlarged after it was written; null: nothing.
   */
  beyond: Extent | null;
  /** Bytes directly behind the target that are unallocated as the table stands. */
  inReach: number;
  /** Part of that which it can take: it ends on a whole MiB then. */
  extendable: number;
}
