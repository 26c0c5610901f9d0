import { latin1 } from '../../bytes';
import { ATTRIBUTE, parseRecord } from '../../volumes/ntfs/record';
import { decodeRuns, type ClusterRun } from '../../volumes/ntfs/runs';
import { NtfsDamage, type NtfsVolume, type Stream } from '../../volumes/ntfs/volume';
import { ClusterSet } from './clusterSet';

export const RECORD = { mft: 0, mirror: 1, log: 2, volume: 3, bitmap: 6, badClusters: 8 } as const;
export const TYPE_BITMAP = 0xb0;
const PIECE = 2 ** 20;
/** Number of records of the largest $MFT that is read through: 128 GiB of the usual ones. */
const MAX_RECORDS = 2 ** 27;

/** A file record that has clusters beyond the cut, how many, and how many lie together at most. */
export interface Beyond {
  record: number;
  /** The record that it continues; its own number where it stands for itself. */
  base: number;
  clusters: number;
  longest: number;
  /** The last cluster that it has. */
  last: number;
}

/** Owners of a volume's clusters. */
export interface OwnershipScan {
  /** Clusters in use by `$Bitmap`. */
  used: ClusterSet;
  /** Records with clusters beyond the cut, in the order of their numbers. */
  beyond: Beyond[];
}

/**
 * Reads every file record of a volume and holds all their runs against `$Bitmap`: a cluster that two have, or that
 * somebody has and the map calls free, would be lost if it were given away. Bad clusters are nobody's to move.
 *
 * @param cut the first cluster that goes
 * @param told asked to wait or to stop, by throwing, after each piece
 * @throws NtfsDamage, NoRoom
 */
export async function scanOwnership(
  volume: NtfsVolume,
  cut: number,
  told: () => Promise<void>,
): Promise<OwnershipScan> {
  const { clusters } = volume.boot;
  const used = await bitmapOf(volume);
  const claimed = new ClusterSet(clusters);
  const beyond: Beyond[] = [];
  for await (const { number, base, runs } of recordsWithRuns(volume, told)) {
    let [sum, longest, last] = [0, 0, 0];
    for (const { lcn, clusters: count, bad } of runs) {
      if (lcn === null) continue;
      if (!claimed.add(lcn, count)) throw new NtfsDamage(`clusters from ${lcn} on belong to two files`);
      if (!used.has(lcn, count)) throw new NtfsDamage(`clusters from ${lcn} on are in use and count as free`);
      const over = Math.max(0, lcn + count - Math.max(lcn, cut));
      if (bad || over === 0) continue;
      sum += over;
      longest = Math.max(longest, over);
      last = Math.max(last, lcn + count - 1);
    }
    if (sum > 0) beyond.push({ record: number, base, clusters: sum, longest, last });
  }
  // Clusters without a known owner are not thrown away.
  const leaked = used.firstNotIn(claimed, cut);
  if (leaked !== null) throw new NtfsDamage(`cluster ${leaked} counts as in use and belongs to no file`);
  return { used, beyond };
}

async function bitmapOf(volume: NtfsVolume): Promise<ClusterSet> {
  const stream = await volume.stream(RECORD.bitmap, ATTRIBUTE.data);
  const set = new ClusterSet(volume.boot.clusters);
  if (8 * stream.size < volume.boot.clusters) throw new NtfsDamage('its map of clusters is too short');
  let first = 0;
  for await (const piece of volume.pieces(stream, PIECE)) {
    set.addBytes(piece, first);
    first += 8 * piece.length;
    if (first >= volume.boot.clusters) break;
  }
  return set;
}

interface WithRuns {
  number: number;
  base: number;
  runs: (ClusterRun & { bad: boolean })[];
}

/** Every record in use with all runs that it holds itself. @throws NtfsDamage */
async function* recordsWithRuns(volume: NtfsVolume, told: () => Promise<void>): AsyncGenerator<WithRuns> {
  const { recordSize, clusters } = volume.boot;
  const table = await volume.stream(RECORD.mft, ATTRIBUTE.data);
  const holes = !('runs' in table.content) || table.content.runs.some(({ lcn }) => lcn === null);
  if (holes || table.size > MAX_RECORDS * recordSize) throw new NtfsDamage('the $MFT is damaged');
  const inUse = await recordMap(volume, table);
  const count = Math.floor(table.size / recordSize);
  const most = Math.max(1, Math.floor(PIECE / recordSize));
  for (let first = 0; first < count; first += most) {
    await told();
    const bytes = await volume.range(table, first * recordSize, Math.min(most, count - first) * recordSize);
    for (let i = 0; i < bytes.length / recordSize; i++) {
      const number = first + i;
      const raw = bytes.subarray(i * recordSize, (i + 1) * recordSize);
      const counts = ((inUse[number >> 3] ?? 0) >> (number & 7)) & 1;
      const record = latin1(raw.subarray(0, 4)) === 'FILE' ? parseRecord(raw) : 'none';
      // An unused record may hold anything, also the rest of a torn write.
      if (record === 'free' || (counts === 0 && (record === null || record === 'none'))) continue;
      if (record === null || (record === 'none' && number >= 24))
        throw new NtfsDamage(`file record ${number} is damaged`);
      if (record === 'none') continue;
      if (counts === 0 && number >= 24)
        throw new NtfsDamage(`file record ${number} is in use and counts as free`);
      const runs: WithRuns['runs'] = [];
      for (const { runs: pairs, lowestVcn, name } of record.attributes) {
        if (!pairs) continue;
        const decoded = decodeRuns(pairs, lowestVcn, clusters);
        if (!decoded) throw new NtfsDamage(`the runs of file record ${number} are damaged`);
        const bad = number === RECORD.badClusters && name === '$Bad';
        for (const run of decoded) runs.push({ ...run, bad });
      }
      const base = record.continues ? record.base : number;
      if (runs.length > 0) yield { number, base, runs };
    }
  }
}

/** Records in use, by the `$MFT`'s own map. @throws NtfsDamage */
export async function recordMap(volume: NtfsVolume, table: Stream): Promise<Uint8Array> {
  const stream = await volume.stream(RECORD.mft, TYPE_BITMAP);
  if (stream.size > MAX_RECORDS / 8 || 8 * stream.size < Math.floor(table.size / volume.boot.recordSize))
    throw new NtfsDamage('the map of the $MFT is damaged');
  return (await volume.range(stream, 0, stream.size)).slice();
}
