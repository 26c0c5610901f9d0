import {
  bytesOf,
  overlaps,
  type Disk,
  type Extent,
  type FileSystem,
  type Partition,
  type Volume,
} from '../disk';
import { mulDivCeil, roundUp } from '../units';

/** File systems of which a mover copies only what is in use (domain facts 8). */
const READABLE: readonly FileSystem[] = ['ntfs', 'fat32', 'fat16', 'exfat'];

/**
 * B(x): used bytes of a volume at or beyond offset `x`, as found. Without a cluster map the used space is
 * taken as spread evenly: ceil(used x (size - x) / size), rounded up to clusters (domain facts 8).
 */
export function usedBeyond(volume: Volume, x: number): number {
  if (volume.used === null) throw new RangeError('used space is not known');
  if (x >= volume.size) return 0;
  const spread = mulDivCeil(volume.used, volume.size - x, volume.size);
  return roundUp(spread, Math.max(1, volume.clusterSize));
}

/** Bytes that moving the whole partition copies (domain facts 8). */
export function moveBytes(disk: Disk, partition: Partition): number {
  if (partition.role === 'reserved') return 0;
  const { volume } = partition;
  if (volume && READABLE.includes(volume.fileSystem) && volume.used !== null) return volume.used;
  return bytesOf(disk, partition);
}

/** Bytes of a move that a power cut leaves to be resumed: all where old and new place intersect, else none. */
export const exposedBytes = (from: Extent, to: Extent, copied: number): number =>
  overlaps(from, to) ? copied : 0;
