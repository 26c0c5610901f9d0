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

/**
 * A donor's bound: the smallest size it may end with, in bytes, a whole number of MiB (domain facts 7). At
 * most its present size, so a donor without spare has a bound equal to its size. null: it can't be known.
 */
export function donorBound(disk: Disk, partition: Partition, keep: KeepFree): number | null {
  const { volume } = partition;
  const floor = volume && offlineFloor(volume);
  if (!volume || floor === null || volume.used === null) return null;
  const shareKept = Math.round(keep.percent * PERCENT_STEPS);
  const whole = 100 * PERCENT_STEPS;
  const forShare = mulDivCeil(volume.used, whole, whole - shareKept);
  const bound = roundUp(Math.max(floor, volume.used + keep.bytes, forShare, 1), MIB);
  return Math.min(bound, bytesOf(disk, partition));
}

/** Bytes that a donor can give up: its size less its bound; 0 where that is not known. */
export function spareOf(disk: Disk, partition: Partition, keep: KeepFree): number {
  const bound = donorBound(disk, partition, keep);
  return bound === null ? 0 : bytesOf(disk, partition) - bound;
}
