import { viewOf } from '../../bytes';
import { ATTRIBUTE } from '../../volumes/ntfs/record';
import type { NtfsVolume } from '../../volumes/ntfs/volume';
import type { SectorEdits } from '../sectorEdits';
import { RECORD } from './ownershipScan';
import { RecordEdit } from './records';

/** The dirty bit of `$Volume`'s flags: Windows checks the volume at its next start. */
const DIRTY = 1;

/** @param base byte of the device where the volume begins */
export async function markDirty(edits: SectorEdits, volume: NtfsVolume, base: number): Promise<void> {
  const record = await RecordEdit.open(edits, volume, base, RECORD.volume);
  const attribute = record.attribute(ATTRIBUTE.volumeInformation).slice();
  const view = viewOf(attribute);
  const flagsAt = view.getUint16(0x14, true) + 0x0a;
  view.setUint16(flagsAt, view.getUint16(flagsAt, true) | DIRTY, true);
  record.replace(ATTRIBUTE.volumeInformation, '', attribute);
  await record.save();
}
