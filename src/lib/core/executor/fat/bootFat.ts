import { viewOf } from '../../bytes';
import type { FatBoot } from '../../volumes/fat';
import type { SectorEdits } from '../sectorEdits';
import type { FatVolume } from './fatVolume';

const FRONT = 11;
const NONE = [0, 0xffff];
/** Marks of the sector with hints about free clusters, and where they stand. */
const INFO = {
  lead: 0x41615252,
  leadAt: 0,
  mark: 0x61417272,
  markAt: 484,
  freeAt: 488,
  nextAt: 492,
} as const;
const UNKNOWN = 0xffffffff;

/**
 * Changes the boot sectors where they are: the backup of FAT32 first, then the one that counts, each safe before what
 * follows. A backup that is none is left alone.
 */
export async function changeFatBoots(
  edits: SectorEdits,
  base: number,
  { bytesPerSector, entryBytes }: FatBoot,
  change: (view: DataView) => void,
): Promise<void> {
  const first = await edits.read(base, bytesPerSector);
  const backup = viewOf(first).getUint16(50, true);
  edits.endGroup();
  if (entryBytes === 4 && !NONE.includes(backup)) {
    const at = base + backup * bytesPerSector;
    const bytes = await edits.read(at, bytesPerSector);
    if (bytes.subarray(0, FRONT).every((byte, i) => byte === first[i])) {
      change(viewOf(bytes));
      await edits.write(at, bytes);
      edits.endGroup();
    }
  }
  change(viewOf(first));
  await edits.write(base, first);
  edits.endGroup();
}

/** Says how many clusters are free, on FAT32; which one comes next is looked for anew. */
export async function writeInfo(
  edits: SectorEdits,
  base: number,
  boot: FatBoot,
  free: number,
): Promise<void> {
  if (boot.entryBytes !== 4) return;
  const { bytesPerSector } = boot;
  const sector = viewOf(await edits.read(base, bytesPerSector)).getUint16(48, true);
  if (NONE.includes(sector) || sector * bytesPerSector >= boot.fatAt) return;
  const at = base + sector * bytesPerSector;
  const bytes = await edits.read(at, bytesPerSector);
  const view = viewOf(bytes);
  if (view.getUint32(INFO.leadAt, true) !== INFO.lead || view.getUint32(INFO.markAt, true) !== INFO.mark)
    return;
  view.setUint32(INFO.freeAt, free, true);
  view.setUint32(INFO.nextAt, UNKNOWN, true);
  await edits.write(at, bytes);
  edits.endGroup();
}

/** Free clusters once the volume ends before one: what lies beyond has moved before it. */
export function freeCount({ boot, next }: FatVolume, end: number): number {
  let used = 0;
  for (let at = 2; at < boot.clusters + 2; at++) if (next[at] !== 0) used++;
  return end - 2 - used;
}
