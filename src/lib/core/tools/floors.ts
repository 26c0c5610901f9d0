import type { Tool } from './tools';
import { bytesOf, type Disk, type FileSystem, type Partition, type Volume } from '../disk';
import { GIB, MIB, multiplyDivideUp, roundUp } from '../units';

/** The least free space to be left in a donor; the larger of the two counts. */
export interface KeepFree {
  /** Percent of the donor's size *afterwards*, 0 to below 100. */
  percent: number;
  bytes: number;
}

export const KEEP_NOTHING: KeepFree = { percent: 0, bytes: 0 };

const PERCENT_STEPS = 10_000;

/** min(free space, max(1 GiB, 5 % of used)): what an estimate leaves for what can't be packed (domain facts 7). */
export function marginOf(volume: Pick<Volume, 'size'>, used: number): number {
  return Math.min(volume.size - used, Math.max(GIB, Math.ceil(used / 20)));
}

const estimated = (volume: Volume): number | null =>
  volume.used === null ? null : volume.used + marginOf(volume, volume.used);

/** The smallest size to which an offline mover can bring a volume, in bytes; null where used space is unknown. */
export const findOfflineFloor = (volume: Volume): number | null =>
  atLeast(volume.smallestOffline ?? estimated(volume), typeFloor(volume));

/**
 * The smallest size while Windows runs, in bytes: as Windows offers it, else behind what it does not move while it
 * runs, but never below the estimate (domain facts 7). The last used cluster is no floor: Windows moves ordinary files.
 */
export function findRunningFloor(volume: Volume): number | null {
  const { smallestRunning, lastImmovable } = volume;
  const known = smallestRunning ?? atLeast(estimated(volume), lastImmovable ?? 0);
  return atLeast(known, typeFloor(volume));
}

const atLeast = (floor: number | null, least: number): number | null =>
  floor === null ? null : Math.max(floor, least);

/** Clusters below which a file system of FAT would be taken for another of its kind (domain facts 5). */
export const MIN_CLUSTERS: Partial<Record<FileSystem, { clusters: number; entryBytes: number }>> = {
  fat32: { clusters: 65_525, entryBytes: 4 },
  fat16: { clusters: 4_085, entryBytes: 2 },
};
/** Boot sectors, root folder and alignment before the first cluster; formatters reserve no more than this. */
const FAT_RESERVED = 4 * MIB;

/**
 * The size in bytes below which a FAT would change its type: its least clusters, and what stands before them, two
 * tables with an entry for each cluster as found at the most. At most its present size, 0 for other file systems.
 */
export function typeFloor({ fileSystem, clusterSize, size }: Volume): number {
  const least = MIN_CLUSTERS[fileSystem];
  if (!least || clusterSize === 0) return 0;
  const tables = 2 * least.entryBytes * Math.ceil(size / clusterSize);
  return Math.min(size, least.clusters * clusterSize + tables + FAT_RESERVED);
}

/** Whether a floor is an estimate from used space rather than something that was read. */
export const isEstimated = (volume: Volume, floor: Tool['floor']): boolean =>
  floor === 'offline'
    ? volume.smallestOffline === null
    : volume.smallestRunning === null && volume.lastImmovable === null;

/**
 * A donor's bound for a kind of tool: the smallest size it may end with, in bytes, a whole number of MiB
 * (domain facts 7). At most its present size, so a donor without spare has a bound equal to its size. null: it
 * can't be known.
 */
export function donorBound(
  disk: Disk,
  partition: Partition,
  keep: KeepFree,
  floorOf: Tool['floor'] = 'offline',
): number | null {
  const { volume } = partition;
  const floor = volume && (floorOf === 'offline' ? findOfflineFloor(volume) : findRunningFloor(volume));
  if (!volume || floor === null || volume.used === null) return null;
  const bound = roundUp(Math.max(floor, leastWithFree(volume.used, keep), 1), MIB);
  return Math.min(bound, bytesOf(disk, partition));
}

/** used + keepFree, where the percentage is of the size afterwards. */
function leastWithFree(used: number, keep: KeepFree): number {
  const shareKept = Math.round(keep.percent * PERCENT_STEPS);
  const whole = 100 * PERCENT_STEPS;
  return Math.max(used + keep.bytes, multiplyDivideUp(used, whole, whole - shareKept));
}

/** Bytes that a donor can give up: its size less its bound; 0 where that is not known. */
export function spareOf(
  disk: Disk,
  partition: Partition,
  keep: KeepFree,
  floorOf: Tool['floor'] = 'offline',
): number {
  const bound = donorBound(disk, partition, keep, floorOf);
  return bound === null ? 0 : bytesOf(disk, partition) - bound;
}
