import { viewOf } from '../../bytes';
import type { Draft } from '../draft';
import type { InHand } from './relocation';

/** Bytes at the front by which a backup is known to belong to a boot sector: its jump and the name of the file system. */
const FRONT = 11;

/**
 * Changes both boot sectors where they are: the backup first, then the one that counts, each safe before what follows. A backup
 * that is none is left alone.
 */
export async function changeBoots(
  draft: Draft,
  { base, volume: { boot } }: InHand,
  change: (view: DataView) => void,
): Promise<void> {
  const { bytesPerSector, totalSectors } = boot;
  const first = await draft.read(base, bytesPerSector);
  const backupAt = base + totalSectors * bytesPerSector;
  const backup = await draft.read(backupAt, bytesPerSector);
  draft.endGroup();
  if (backup.subarray(0, FRONT).every((byte, i) => byte === first[i])) {
    change(viewOf(backup));
    await draft.write(backupAt, backup);
    draft.endGroup();
  }
  change(viewOf(first));
  await draft.write(base, first);
  draft.endGroup();
}
