import { MIB } from '../units';
import type { Disk, Extent, Partition } from './types';

/** The LBA right behind the extent. */
export const endOf = (extent: Extent): number => extent.first + extent.sectors;

export const overlaps = (a: Extent, b: Extent): boolean => a.first < endOf(b) && b.first < endOf(a);

export const contains = (outer: Extent, inner: Extent): boolean =>
  inner.first >= outer.first && endOf(inner) <= endOf(outer);

export const areSameExtents = (a: Extent, b: Extent): boolean =>
  a.first === b.first && a.sectors === b.sectors;

/** Sectors in 1 MiB, to which starts are aligned (domain facts 1): 2,048 of 512 B, 256 of 4,096 B. */
export const alignment = (disk: Pick<Disk, 'sectorSize'>): number => MIB / disk.sectorSize;

/** Bytes that an extent takes. */
export const bytesOf = (disk: Pick<Disk, 'sectorSize'>, extent: Extent): number =>
  extent.sectors * disk.sectorSize;

/** Bytes of the whole disk. */
export const diskBytes = (disk: Pick<Disk, 'sectorSize' | 'sectors'>): number =>
  disk.sectors * disk.sectorSize;

/**
 * The unallocated extents within `usable`, in order. Logical drives lie inside their extended partition and
 * so do not count of their own; `partitions` must be in the order of their position.
 */
export function unallocated(
  usable: Extent,
  partitions: readonly (Extent & Partial<Pick<Partition, 'kind'>>)[],
): Extent[] {
  const gaps: Extent[] = [];
  let at = usable.first;
  for (const partition of partitions) {
    if (partition.kind === 'logical') continue;
    if (partition.first > at) gaps.push({ first: at, sectors: partition.first - at });
    at = Math.max(at, endOf(partition));
  }
  if (endOf(usable) > at) gaps.push({ first: at, sectors: endOf(usable) - at });
  return gaps;
}

/** Gaps below 1 MiB are what alignment leaves over: not worth a word or a basin. */
export const isWorthShowing = (disk: Pick<Disk, 'sectorSize'>, gap: Extent): boolean =>
  gap.sectors >= alignment(disk);
