import { bytesOf, endOf, unallocated, isWorthShowing } from './extent';
import { nameAttributes } from './attributes';
import { plainName } from './name';
import type { Disk, Extent } from './types';

/** A stretch of a disk that Windows does not show to people, and why it is there. */
export interface Hidden {
  what: string;
  why: string;
  extent: Extent;
  bytes: number;
}

/**
 * What a technician will not find in a list of drives: reserved, firmware boot and recovery partitions,
 * gaps below 1 MiB, and room behind a backup table that is not at the end (domain facts 2). In disk order.
 */
export function listHidden(disk: Disk): Hidden[] {
  const found: Omit<Hidden, 'bytes'>[] = [];
  for (const partition of disk.partitions) {
    if (partition.letter !== null || partition.kind === 'extended') continue;
    const without = disk.table === 'gpt' && nameAttributes(partition.attributes).includes('no letter');
    const why = without ? 'its attributes forbid a drive letter' : 'it has no drive letter';
    found.push({ what: `${plainName(partition)}, partition ${partition.number}`, why, extent: partition });
  }
  for (const gap of unallocated(disk.usable, disk.partitions)) {
    if (isWorthShowing(disk, gap)) continue;
    found.push({ what: 'a gap below 1 MiB', why: 'alignment left it over', extent: gap });
  }
  const behind = {
    first: endOf(disk.usable),
    sectors: endOf(disk.usableRelocated) - endOf(disk.usable),
  };
  if (behind.sectors > 0) {
    found.push({
      what: 'room behind the backup table',
      why: 'the disk was enlarged after its table was written',
      extent: behind,
    });
  }
  return found
    .map((one) => ({
      ...one,
      extent: { first: one.extent.first, sectors: one.extent.sectors },
      bytes: bytesOf(disk, one.extent),
    }))
    .sort((a, b) => a.extent.first - b.extent.first);
}
