import { READABLE } from './tools';
import {
  bytesOf,
  overlaps,
  type ClusterMap,
  type Disk,
  type Extent,
  type Partition,
  type Volume,
} from '../disk';
import { multiplyDivideUp, roundUp } from '../units';

/**
 * B(x): used bytes of a volume at or beyond offset `x`, as found (domain facts 8). With a cluster map it is
 * exact at the bounds of its buckets; inside a bucket as much as can lie beyond `x` is taken to lie there.
 * Without one the used space is taken as spread evenly: ceil(used x (size - x) / size). Both are whole clusters.
 */
export function countUsedBeyond(volume: Volume, x: number): number {
  if (volume.used === null) throw new RangeError('used space is not known');
  if (x >= volume.size) return 0;
  const cluster = Math.max(1, volume.clusterSize);
  const map = volume.clusterMap;
  if (!map) return roundUp(multiplyDivideUp(volume.used, volume.size - x, volume.size), cluster);
  const sums = sumsFromEnd(map);
  const clusters = Math.floor(x / cluster);
  const bucket = Math.floor(clusters / map.clustersPerBucket);
  const inPart = (bucket + 1) * map.clustersPerBucket - clusters;
  const beyond = (sums[bucket + 1] ?? 0) + Math.min(inPart, map.used[bucket] ?? 0);
  return Math.min(volume.used, beyond * cluster);
}

/**
 * Where B bends as a volume is shrunk from its end down to `least`: offsets with the used bytes beyond them,
 * between which B lies on or above the straight line. Not rounded up to clusters, so never above B.
 */
export function findBendsOfUse(volume: Volume, least: number): { x: number; bytes: number }[] {
  const { size, used, clusterMap: map } = volume;
  if (least >= size) return [];
  if (!map) return [size, least].map((x) => ({ x, bytes: ((used ?? 0) * (size - x)) / size }));
  const bucketBytes = map.clustersPerBucket * Math.max(1, volume.clusterSize);
  const bounds = map.used.map((_, bucket) => bucket * bucketBytes).reverse();
  const inside = bounds.filter((bound) => bound < size && bound > least);
  return [size, ...inside, least].map((x) => ({ x, bytes: countUsedBeyond(volume, x) }));
}

const KEPT_SUMS = new WeakMap<ClusterMap, Float64Array>();

/** Used clusters from each bucket to the map's end, counted once for each map. */
function sumsFromEnd(map: ClusterMap): Float64Array {
  let sums = KEPT_SUMS.get(map);
  if (!sums) {
    sums = new Float64Array(map.used.length + 1);
    for (let i = map.used.length - 1; i >= 0; i--) sums[i] = sums[i + 1]! + map.used[i]!;
    KEPT_SUMS.set(map, sums);
  }
  return sums;
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

/**
 * Bytes that a full decryption goes through: what is used, or the whole volume where all of it was encrypted
 * or its use is not known (domain facts 8); of a decryption under way what is left.
 */
export function decryptBytes(volume: Volume): number {
  const { state, percent, usedOnly } = volume.encryption;
  const all = usedOnly && volume.used !== null ? volume.used : volume.size;
  return state === 'decrypting' ? Math.ceil((all * percent) / 100) : all;
}
