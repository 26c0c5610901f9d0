import { viewOf } from '../../bytes';
import type { SectorEdits } from '../sectorEdits';
import type { InHand } from './relocation';

/**
 * Bytes at the front by which a backup is known to belong to a boot sector: its jump and the name of the file system.
 */
const FRONT = 11;

/**
 * Changes both boot sectors where they are: the backup first, then the one that counts, each safe before what follows.
 * A backup that is none is left alone.
 */
export async function changeBoots(
  edits: SectorEdits,
  { base, volume: { boot } }: InHand,
  change: (view: DataView) => void,
): Promise<void> {
  const { bytesPerSector, totalSectors } = boot;
  const first = await edits.read(base, bytesPerSector);
  const backupAt = base + totalSectors * bytesPerSector;
  const backup = await edits.read(backupAt, bytesPerSector);
  edits.endGroup();
  if (backup.subarray(0, FRONT).every((byte, i) => byte === first[i])) {
    change(viewOf(backup));
    await edits.write(backupAt, backup);
    edits.endGroup();
  }
  change(viewOf(first));
  await edits.write(base, first);
  edits.endGroup();
}
