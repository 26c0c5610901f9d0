import { viewOf } from '../../bytes';
import { lacks, NoRoom } from '../noRoom';
import { slice } from '../../images/source';
import { type Outcome, refusal, success } from '../../problem';
import { parseNtfsBoot } from '../../volumes/ntfs/bootSector';
import { ATTRIBUTE } from '../../volumes/ntfs/record';
import type { ClusterRun } from '../../volumes/ntfs/runs';
import { NtfsVolume } from '../../volumes/ntfs/volume';
import type { Device } from '../devices/device';
import { SectorEdits } from '../sectorEdits';
import type { Operation, DiskPlace } from '../plan';
import { applyEdits, placeBitmap, type BitEdit, type BitmapPlace, type FreeRun } from './bitmapPlan';
import { RECORD } from './ownershipScan';
import { withRuns } from './mappingPairs';
import { markDirty } from './markDirty';
import { RecordEdit } from './records';
import { resetLog } from './resetLog';
import { placesOf } from './streamPlaces';

const MAX_CLUSTERS = 2 ** 32 - 1;
const PIECE = 2 ** 20;

/** A volume within a device. Bytes. */
interface Within {
  at: number;
  /** Size of its partition as it will be. */
  size: number;
}

/**
 * What makes an NTFS volume fill a partition that was made larger (domain facts 4): `$Bitmap`, moved if it must,
 * `$BadClus`, the mark for a check, the backup boot sector at its new place, and last of all the boot sector itself,
 * one sector, with which the volume is larger or is not. The log is reset before.
 *
 * Problem codes: `too-large`, `no-room`, `scattered`.
 * @throws NtfsDamage
 */
export async function growNtfs(on: DiskPlace, disk: Device, place: Within): Promise<Outcome<Operation[]>> {
  const first = await disk.read(place.at, disk.sectorSize);
  const boot = parseNtfsBoot(first)!;
  const { bytesPerSector, clusterSize } = boot;
  const total = Math.floor(place.size / bytesPerSector) - 1;
  const clusters = Math.floor((total * bytesPerSector) / clusterSize);
  if (clusters > MAX_CLUSTERS)
    return refusal('too-large', 'NTFS holds no more than 4,294,967,295 clusters; the new size needs more.');
  if (total <= boot.totalSectors) return success([]);

  const source = slice(disk, place.at, place.size);
  const volume = await NtfsVolume.open(source, boot);
  const sectorEdits = new SectorEdits(disk);
  const operations: Operation[] = await resetLog(on, disk, volume, place.at);
  try {
    await markDirty(sectorEdits, volume, place.at);
    sectorEdits.endGroup();
    const bitmap = await growBitmap(on, sectorEdits, disk, volume, place.at, clusters);
    if (!bitmap.ok) return bitmap;
    operations.push(...bitmap.value);
    sectorEdits.endGroup();
    await growBadClusters(sectorEdits, volume, place.at, clusters);
    sectorEdits.endGroup();
  } catch (error) {
    if (!lacks(error, 'record')) throw error;
    return refusal('scattered', 'Its file system’s own tables have no room left in their records.');
  }
  const grown = first.slice();
  viewOf(grown).setBigUint64(0x28, BigInt(total), true);
  await sectorEdits.write(place.at + total * bytesPerSector, grown.subarray(0, bytesPerSector));
  sectorEdits.endGroup();
  await sectorEdits.write(place.at, grown);
  operations.push({ op: 'change', on, groups: sectorEdits.changes });
  return success(operations);
}

async function growBitmap(
  on: DiskPlace,
  sectorEdits: SectorEdits,
  disk: Device,
  volume: NtfsVolume,
  base: number,
  clusters: number,
): Promise<Outcome<Operation[]>> {
  const { clusterSize } = volume.boot;
  const old = volume.boot.clusters;
  const record = await RecordEdit.open(sectorEdits, volume, base, RECORD.bitmap);
  const stream = await volume.stream(RECORD.bitmap, ATTRIBUTE.data);
  if (record.has(ATTRIBUTE.list) || !('runs' in stream.content))
    return refusal('scattered', 'Its $Bitmap is in more pieces than are followed here.');
  const { runs } = stream.content;
  const bytes = Math.max(stream.size, 8 * Math.ceil(clusters / 64));
  const needed = Math.ceil(bytes / clusterSize);
  const last = runs.at(-1)!;
  const enough = needed <= last.vcn + last.clusters;
  const found = placeBitmap(runs, needed, enough ? [] : await freeRuns(volume, clusters));
  if (!found)
    return refusal(
      'no-room',
      'It is so full that its own map of clusters, which has to grow, finds no room.',
    );
  const edits: BitEdit[] = [
    { first: old, count: clusters - old, bit: 0 },
    ...found.edits,
    { first: clusters, count: 8 * bytes - clusters, bit: 1 },
  ];
  const operations = await writeBitmap(sectorEdits, disk, {
    on,
    volume,
    base,
    old: stream.size,
    bytes,
    runs,
    found,
    edits,
  });
  record.replace(
    ATTRIBUTE.data,
    '',
    withRuns(record.attribute(ATTRIBUTE.data), found.runs, {
      allocated: (found.runs.at(-1)!.vcn + found.runs.at(-1)!.clusters) * clusterSize,
      data: bytes,
      initialised: bytes,
    }),
  );
  await record.save();
  return success(operations);
}

/**
 * Free clusters as they are, and behind them the new ones; the one that holds the old backup boot sector is left alone.
 */
async function freeRuns(volume: NtfsVolume, clusters: number): Promise<FreeRun[]> {
  const bitmap = await volume.stream(RECORD.bitmap, ATTRIBUTE.data);
  const old = volume.boot.clusters;
  const free: FreeRun[] = [];
  let before = 0;
  const add = (first: number) => {
    const last = free.at(-1);
    if (last && last.first + last.count === first) last.count++;
    else free.push({ first, count: 1 });
  };
  for await (const piece of volume.pieces(bitmap, PIECE)) {
    for (let i = 0; i < 8 * piece.length && before + i < old; i++) {
      if ((i & 7) === 0 && piece[i >> 3] === 0xff) i += 7;
      else if (((piece[i >> 3]! >> (i & 7)) & 1) === 0) add(before + i);
    }
    before += 8 * piece.length;
  }
  if (clusters > old + 1) free.push({ first: old + 1, count: clusters - old - 1 });
  return free;
}

interface BitmapChange {
  on: DiskPlace;
  volume: NtfsVolume;
  base: number;
  /** Bytes of it before and after. */
  old: number;
  bytes: number;
  runs: readonly ClusterRun[];
  found: BitmapPlace;
  edits: readonly BitEdit[];
}

/** New clusters of it are zeros, changed sectors are edited one by one; a moved one is copied first. */
async function writeBitmap(
  sectorEdits: SectorEdits,
  disk: Device,
  change: BitmapChange,
): Promise<Operation[]> {
  const { on, volume, base, old, bytes, found, edits } = change;
  const { boot } = volume;
  const size = disk.sectorSize;
  const operations: Operation[] = [];
  const oldEnd = Math.ceil(old / size) * size;
  if (found.moved) {
    for (const { vcn, lcn, clusters } of change.runs) {
      const length = Math.min(clusters * boot.clusterSize, oldEnd - vcn * boot.clusterSize);
      if (length <= 0) continue;
      operations.push({
        op: 'copy',
        from: on,
        fromAt: base + lcn! * boot.clusterSize,
        to: on,
        toAt: base + (found.runs[0]!.lcn! + vcn) * boot.clusterSize,
        extents: [0, length],
      });
    }
  }
  const place = { runs: found.runs, clusterSize: boot.clusterSize, base };
  const end = Math.ceil(bytes / size) * size;
  for (const { offset, length } of placesOf(place, oldEnd, end))
    operations.push({ op: 'fill', on, offset, length, byte: 0 });

  const stream = await volume.stream(RECORD.bitmap, ATTRIBUTE.data);
  for (const sector of changedSectors(edits, old, size)) {
    const content = new Uint8Array(size);
    const known = Math.max(0, Math.min(size, old - sector));
    if (known > 0) content.set(await volume.range(stream, sector, known));
    applyEdits(content, 8 * sector, edits);
    // Bytes behind the end of the stream belong to nobody.
    content.fill(0, Math.max(0, Math.min(size, bytes - sector)));
    const [sectorPlace] = placesOf(place, sector, sector + size);
    // A copy or a fill comes before: what stands there now says nothing.
    await sectorEdits.put(sectorPlace!.offset, content);
  }
  return operations;
}

/** Sectors of the stream, by their first byte, in which an edit changes anything: zeros in what is new do not. */
function changedSectors(edits: readonly BitEdit[], old: number, size: number): number[] {
  const found = new Set<number>();
  for (const { first, count, bit } of edits) {
    const from = Math.floor(first / 8 / size) * size;
    const until = bit ? (first + count) / 8 : Math.min(old, (first + count) / 8);
    for (let at = from; at < until; at += size) found.add(at);
  }
  return [...found].sort((a, b) => a - b);
}

/** `$Bad` is as long as the volume; only clusters that are really bad have a place in it. */
async function growBadClusters(
  sectorEdits: SectorEdits,
  volume: NtfsVolume,
  base: number,
  clusters: number,
): Promise<void> {
  const { clusterSize } = volume.boot;
  const record = await RecordEdit.open(sectorEdits, volume, base, RECORD.badClusters);
  const stream = await volume.streamOrNull(RECORD.badClusters, ATTRIBUTE.data, '$Bad');
  if (record.has(ATTRIBUTE.list) || !stream || !('runs' in stream.content)) throw new NoRoom('record');
  const runs = [...stream.content.runs];
  const last = runs.at(-1);
  const have = last ? last.vcn + last.clusters : 0;
  if (last && last.lcn === null)
    runs[runs.length - 1] = { ...last, clusters: last.clusters + clusters - have };
  else runs.push({ vcn: have, lcn: null, clusters: clusters - have });
  const size = clusters * clusterSize;
  record.replace(
    ATTRIBUTE.data,
    '$Bad',
    withRuns(record.attribute(ATTRIBUTE.data, '$Bad'), runs, {
      allocated: size,
      data: size,
      initialised: stream.initialised,
    }),
  );
  await record.save();
}
