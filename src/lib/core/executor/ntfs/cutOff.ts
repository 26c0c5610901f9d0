import { viewOf } from '../../bytes';
import { ATTRIBUTE } from '../../volumes/ntfs/record';
import type { ClusterRun } from '../../volumes/ntfs/runs';
import { NtfsDamage } from '../../volumes/ntfs/volume';
import { SectorEdits } from '../sectorEdits';
import type { Operation } from '../plan';
import type { BitEdit } from './bitmapPlan';
import { RECORD } from './ownershipScan';
import { withRuns } from './mappingPairs';
import { RecordEdit } from './records';
import type { InHand } from './relocation';
import { editBits } from './streamPlaces';

/**
 * A volume ends at its cut; nothing is in use beyond it any more. The backup boot sector goes to its new place, then
 * the boot sector names the new size: one sector, with which the volume is smaller or is not. Only then do `$BadClus`
 * and `$Bitmap` become shorter: longer than the volume they do no harm, shorter they would.
 *
 * @param total sectors of the file system
 */
export async function cutOff(inHand: InHand, total: number): Promise<Operation[]> {
  const { on, device, base, volume } = inHand;
  const { bytesPerSector } = volume.boot;
  const sectorEdits = new SectorEdits(device);
  const boot = await sectorEdits.read(base, bytesPerSector);
  viewOf(boot).setBigUint64(0x28, BigInt(total), true);
  await sectorEdits.write(base + total * bytesPerSector, boot);
  sectorEdits.endGroup();
  await sectorEdits.write(base, boot);
  sectorEdits.endGroup();
  await shortenBad(sectorEdits, inHand);
  sectorEdits.endGroup();
  await shortenBitmap(sectorEdits, inHand);
  return [{ op: 'change', on, groups: sectorEdits.changes }];
}

async function shortenBad(sectorEdits: SectorEdits, { base, volume, cut }: InHand): Promise<void> {
  const { clusterSize } = volume.boot;
  const record = await RecordEdit.open(sectorEdits, volume, base, RECORD.badClusters);
  const stream = await volume.streamOrNull(RECORD.badClusters, ATTRIBUTE.data, '$Bad');
  if (!stream || !('runs' in stream.content)) throw new NtfsDamage('$BadClus is damaged');
  const runs = before(stream.content.runs, cut);
  const size = cut * clusterSize;
  const sizes = { allocated: size, data: size, initialised: Math.min(stream.initialised, size) };
  record.replace(ATTRIBUTE.data, '$Bad', withRuns(record.attribute(ATTRIBUTE.data, '$Bad'), runs, sizes));
  await record.save();
}

/** The clusters that its own end took are free; the bits beyond the volume count as in use (domain facts 4). */
async function shortenBitmap(sectorEdits: SectorEdits, { base, volume, cut }: InHand): Promise<void> {
  const { clusterSize } = volume.boot;
  const record = await RecordEdit.open(sectorEdits, volume, base, RECORD.bitmap);
  const stream = await volume.stream(RECORD.bitmap, ATTRIBUTE.data);
  if (!('runs' in stream.content)) throw new NtfsDamage('its map of clusters is damaged');
  const data = 8 * Math.ceil(cut / 64);
  const runs = before(stream.content.runs, Math.ceil(data / clusterSize));
  const kept = runs.at(-1)!.vcn + runs.at(-1)!.clusters;
  const edits: BitEdit[] = stream.content.runs.flatMap(({ vcn, lcn, clusters }) => {
    const skip = Math.max(0, kept - vcn);
    return skip < clusters ? [{ first: lcn! + skip, count: clusters - skip, bit: 0 as const }] : [];
  });
  const sizes = { allocated: kept * clusterSize, data, initialised: data };
  record.replace(ATTRIBUTE.data, '', withRuns(record.attribute(ATTRIBUTE.data), runs, sizes));
  await record.save();
  sectorEdits.endGroup();
  edits.push({ first: cut, count: 8 * data - cut, bit: 1 });
  await editBits(sectorEdits, { runs, clusterSize, base }, edits);
}

/** Runs up to a cluster of the stream. */
const before = (runs: readonly ClusterRun[], end: number): ClusterRun[] =>
  runs
    .filter(({ vcn }) => vcn < end)
    .map((run) => ({ ...run, clusters: Math.min(run.clusters, end - run.vcn) }));
