import { type Tool } from './tools';
import { bytesOf, type Disk, type Partition, type Volume } from '../disk';
import { GIB, MIB, mulDivCeil, roundUp } from '../units';

/** The least free space to be left in a donor; the larger of the two counts. */
export interface KeepFree {
  /** Percent of the donor's size *afterwards*, 0 to below 100. */
  percent: number;
  bytes: number;
}

export const KEEP_NOTHING: KeepFree = { percent: 0, bytes: 0 };

const PERCENT_STEPS = 10_000;

/** min(free space, max(1 GiB, 5 % of used)): what an estimate leaves for what can't be packed (domain facts 7). */
export function margin(volume: Pick<Volume, 'size'>, used: number): number {
  return Math.min(volume.size - used, Math.max(GIB, Math.ceil(used / 20)));
}

/** The smallest size to which an offline mover can bring a volume, in bytes; null where used space is unknown. */
export function offlineFloor(volume: Volume): number | null {
  if (volume.smallestOffline !== null) return volume.smallestOffline;
  return volume.used === null ? null : volume.used + margin(volume, volume.used);
}

/** The smallest size while Windows runs: as Windows offers it, else up to the last used cluster, else estimated. */
export function runningFloor(volume: Volume): number | null {
  if (volume.smallestRunning !== null) return volume.smallestRunning;
  if (volume.lastUsed !== null) return volume.lastUsed;
  return volume.used === null ? null : volume.used + margin(volume, volume.used);
}

/** Whether a floor is an estimate from used space rather than something that was read. */
export const isEstimated = (volume: Volume, floor: Tool['floor']): boolean =>
  floor === 'offline'
    ? volume.smallestOffline === null
    : volume.smallestRunning === null && volume.lastUsed === null;

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
  const floor = volume && (floorOf === 'offline' ? offlineFloor(volume) : runningFloor(volume));
  if (!volume || floor === null || volume.used === null) return null;
  const bound = roundUp(Math.max(floor, leastWithFree(volume.used, keep), 1), MIB);
  return Math.min(bound, bytesOf(disk, partition));
}

/** used + keepFree, where the percentage is of the size afterwards. */
function leastWithFree(used: number, keep: KeepFree): number {
  const shareKept = Math.round(keep.percent * PERCENT_STEPS);
  const whole = 100 * PERCENT_STEPS;
  return Math.max(used + keep.bytes, mulDivCeil(used, whole, whole - shareKept));
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
