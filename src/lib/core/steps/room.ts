import { bytesOf, type Disk, type Partition, type Volume } from '../disk';
import type { Layout } from './layout';
import { findPartition } from './names';

/**
 * The size of a partition's volume by now: one that was resized fills its partition, one that was not may be smaller
 * than that.
 */
const sizeNow = (disk: Disk, partition: Partition, { size }: Volume): number =>
  findPartition(disk, partition.number)?.sectors === partition.sectors ? size : bytesOf(disk, partition);

/**
 * The partition of a number on a layout, with the bytes that are free in its volume by now; null: it has no volume that
 * is known.
 */
export function roomIn(
  disk: Disk,
  { partitions }: Pick<Layout, 'partitions'>,
  number: number,
): { partition: Partition; free: number } | null {
  const partition = partitions.find((one) => one.number === number);
  if (partition?.volume?.used == null) return null;
  return { partition, free: sizeNow(disk, partition, partition.volume) - partition.volume.used };
}

/**
 * The layout with so many bytes more in use in the volume of a partition, or fewer. Where they lie is not known, nor
 * how far it could be shrunk.
 */
export function usedBy(disk: Disk, layout: Layout, number: number, more: number): Layout {
  const filled = (one: Partition, volume: Volume): Partition => ({
    ...one,
    volume: {
      ...volume,
      size: sizeNow(disk, one, volume),
      used: volume.used! + more,
      clusterMap: null,
      lastUsed: null,
      ...(more > 0 ? { smallestRunning: null, smallestOffline: null } : {}),
    },
  });
  const partitions = layout.partitions.map((one) =>
    one.number === number && one.volume?.used != null ? filled(one, one.volume) : one,
  );
  return { ...layout, partitions };
}
