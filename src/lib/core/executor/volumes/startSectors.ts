import { viewOf } from '../../bytes';
import { slice } from '../../images/source';
import { computeExfatBootSum, REGION_SECTORS } from '../../volumes/exfat';
import { parseNtfsBoot } from '../../volumes/ntfs/bootSector';
import type { Device } from '../devices/device';
import { SectorEdits } from '../sectorEdits';
import type { DiskChange } from '../plan';
import type { Kind } from './usedExtents';

const HIDDEN = 0x1c;
const MOST_32 = 0xffffffff;

/**
 * Boot sectors that name the start of their partition, for a volume whose bytes go from one start to another: where
 * they named the old one they name the new one, else they stay as they are (domain facts 4 and 5).
 *
 * @param disk the device that it can be read from now
 * @param readAt byte of it where the volume begins
 * @param writeAt byte where it will be when the changes are made
 * @param size bytes of its partition
 * @param was first sector as found; `is`: the new one
 */
export async function startChanges(
  disk: Device,
  kind: Kind,
  place: { readAt: number; writeAt: number; size: number; was: number; is: number },
): Promise<DiskChange[][]> {
  const sectors = await startSectors(disk, kind, place);
  if (sectors.length === 0) return [];
  const edits = new SectorEdits(disk);
  for (const { at, bytes } of sectors) await edits.write(place.readAt + at, bytes);
  // By then the new place holds what the old one holds now: that is what stood there before.
  const shift = place.writeAt - place.readAt;
  return edits.changes.map((group) => group.map((one) => ({ ...one, offset: one.offset + shift })));
}

async function startSectors(
  disk: Device,
  kind: Kind,
  { readAt, size, was, is }: { readAt: number; size: number; was: number; is: number },
): Promise<{ at: number; bytes: Uint8Array }[]> {
  const source = slice(disk, readAt, size);
  const boot = await source.read(0, 512);
  if (kind === 'exfat') return exfatRegions(source, boot, was, is);
  if (kind !== 'ntfs' && kind !== 'fat') return [];
  const sector = disk.sectorSize;
  const out: { at: number; bytes: Uint8Array }[] = [];
  for (const at of new Set(kind === 'ntfs' ? ntfsBoots(boot, size, sector) : fatBoots(boot))) {
    if (at + 512 > size) continue;
    const bytes = (await source.read(at, 512)).slice();
    // A backup that is none, or an old one, is left alone.
    if (at !== 0 && bytes.subarray(0, 11).some((byte, i) => byte !== boot[i])) continue;
    const view = viewOf(bytes);
    if (was > MOST_32 || view.getUint32(HIDDEN, true) !== was) continue;
    view.setUint32(HIDDEN, is % 2 ** 32, true);
    out.push({ at, bytes });
  }
  return out;
}

function ntfsBoots(boot: Uint8Array, size: number, sectorSize: number): number[] {
  const facts = parseNtfsBoot(boot);
  return facts ? [0, facts.totalSectors * facts.bytesPerSector, size - sectorSize] : [];
}

/** FAT32 keeps a backup, mostly in sector 6; the field that names it is something else on FAT16. */
function fatBoots(boot: Uint8Array): number[] {
  const view = viewOf(boot);
  const backup = view.getUint16(22, true) === 0 ? view.getUint16(50, true) : 0;
  return backup > 0 && backup !== 0xffff ? [0, backup * view.getUint16(11, true)] : [0];
}

/** Both boot regions of exFAT name the start under their checksum; 0 means that it is to be ignored. */
async function exfatRegions(
  source: { read(offset: number, length: number): Promise<Uint8Array> },
  boot: Uint8Array,
  was: number,
  is: number,
): Promise<{ at: number; bytes: Uint8Array }[]> {
  const bytesPerSector = 2 ** boot[108]!;
  const length = REGION_SECTORS * bytesPerSector;
  const out: { at: number; bytes: Uint8Array }[] = [];
  for (const at of [0, length]) {
    const bytes = (await source.read(at, length)).slice();
    const view = viewOf(bytes);
    if (view.getBigUint64(64, true) !== BigInt(was)) continue;
    view.setBigUint64(64, BigInt(is), true);
    const sum = computeExfatBootSum(bytes, bytesPerSector);
    for (let i = length - bytesPerSector; i < length; i += 4) view.setUint32(i, sum, true);
    out.push({ at, bytes });
  }
  return out;
}
