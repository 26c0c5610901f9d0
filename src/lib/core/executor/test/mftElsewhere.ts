import { slice } from '../../images/source';
import { parseNtfsBoot } from '../../volumes/ntfs/bootSector';
import { ATTRIBUTE } from '../../volumes/ntfs/record';
import { NtfsVolume } from '../../volumes/ntfs/volume';
import { MemoryDevice } from '../devices/memory';
import { SectorEdits } from '../sectorEdits';
import { changeBoots } from '../ntfs/bootSectors';
import { scanOwnership } from '../ntfs/ownershipScan';
import { FreeSpace } from '../ntfs/freeSpace';
import { withRuns } from '../ntfs/mappingPairs';
import { RecordEdit } from '../ntfs/records';
import { editBits } from '../ntfs/streamPlaces';

/**
 * Brings the `$MFT` of a volume to the end of it, as old volumes have it that were made larger on the left; whether it
 * is still a good one is for others to say.
 */
export async function moveMftToTheEnd(bytes: Uint8Array): Promise<Uint8Array> {
  const device = new MemoryDevice(bytes.length);
  await device.write(0, bytes);
  const boot = parseNtfsBoot(bytes.subarray(0, 512))!;
  const volume = await NtfsVolume.open(slice(device, 0, bytes.length), boot);
  const table = await volume.stream(0, ATTRIBUTE.data);
  const bitmap = await volume.stream(6, ATTRIBUTE.data);
  if (!('runs' in table.content) || !('runs' in bitmap.content)) throw new Error('that is no usual volume');
  const clusters = table.content.runs.reduce((sum, run) => sum + run.clusters, 0);
  const first = await lastFree(volume, clusters);
  const space = new FreeSpace([{ first, count: clusters }]);
  const map = { runs: bitmap.content.runs, clusterSize: boot.clusterSize, base: 0 };
  const edits = new SectorEdits(device);
  for (const { vcn, lcn, clusters: count } of table.content.runs)
    await device.write(
      (first + vcn) * boot.clusterSize,
      await device.read(lcn! * boot.clusterSize, count * boot.clusterSize),
    );
  const edit = await RecordEdit.open(edits, volume, 0, 0);
  const runs = [{ vcn: 0, lcn: first, clusters }];
  const sizes = { allocated: clusters * boot.clusterSize, data: table.size, initialised: table.initialised };
  edit.replace(ATTRIBUTE.data, '', withRuns(edit.attribute(ATTRIBUTE.data), runs, sizes));
  const mirror = edit.places.slice(volume.recordPlaces(0).length);
  await edit.at([{ offset: first * boot.clusterSize, length: boot.recordSize }, ...mirror]).save();
  await changeBoots(edits, { on: 'disk', device, base: 0, volume, space, cut: 0 }, (view) =>
    view.setBigUint64(0x30, BigInt(first), true),
  );
  await editBits(edits, map, [
    { first, count: clusters, bit: 1 },
    ...table.content.runs.map(({ lcn, clusters: count }) => ({ first: lcn!, count, bit: 0 as const })),
  ]);
  for (const group of edits.changes) for (const { offset, after } of group) await device.write(offset, after);
  return device.read(0, bytes.length);
}

/** The last so many free clusters that lie together. */
async function lastFree(volume: NtfsVolume, clusters: number): Promise<number> {
  const { used } = await scanOwnership(volume, volume.boot.clusters, async () => {});
  const fits = [...used.gaps(volume.boot.clusters)].filter(({ count }) => count >= clusters);
  const last = fits.at(-1)!;
  return last.first + last.count - clusters;
}
