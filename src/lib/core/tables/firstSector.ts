import { latin1, viewOf } from '../bytes';
import { entryAt, inUse, looksLikeEntries, PROTECTIVE, type MbrEntry } from './mbrEntry';

/**
 * What sector 0 says a disk is (domain facts 2, "LBA 0 decides"; UEFI 2.10, 5.2):
 * `protective`: exactly one entry of type 0xEE, from sector 1, and no other: the GPT counts;
 * `hybrid`: 0xEE beside others, which Windows takes for a master boot record;
 * `ordinary`: entries of a master boot record, whatever leftovers of a GPT lie on the disk;
 * `volume`: a file system begins here, so this is no whole disk;
 * `blank`: a master boot record with a disk signature and nothing in it;
 * `empty`: nothing of the kind.
 */
export type FirstSector =
  | { says: 'protective'; /** Sectors that it covers, from sector 1; 0xFFFFFFFF is "all". */ covers: number }
  | { says: 'hybrid' | 'ordinary'; entries: MbrEntry[] }
  | { says: 'volume' | 'blank' | 'empty' };

/** OEM names of boot sectors, at byte 3. */
const BOOT_SECTOR = /^(NTFS {4}|EXFAT {3}|ReFS\0{4}|-FVE-FS-|MSDOS\d\.\d|MSWIN4\.[01]|mkfs\.fat|mkdosfs\0)$/;

/** Position of the disk's signature in a master boot record. */
const DISK_SIGNATURE = 0x1b8;

/** A boot sector has its file system's name, or at least a jump and the bytes a sector that all of them have at 11. */
function beginsVolume(sector: Uint8Array, view: DataView): boolean {
  const jump = sector[0] === 0xeb || sector[0] === 0xe9;
  const bytes = view.getUint16(11, true);
  const oem = latin1(sector.subarray(3, 11));
  return BOOT_SECTOR.test(oem) || (jump && [512, 1024, 2048, 4096].includes(bytes));
}

/** @param sector at least the first 512 bytes of the disk */
export function readFirstSector(sector: Uint8Array): FirstSector {
  const view = viewOf(sector);
  if (view.getUint16(510, true) !== 0xaa55) return { says: 'empty' };
  const entries = [0, 1, 2, 3].map((i) => entryAt(view, i));
  const used = looksLikeEntries(entries) ? entries.filter(inUse) : [];
  if (used.length === 0) {
    if (beginsVolume(sector, view)) return { says: 'volume' };
    const signed = looksLikeEntries(entries) && view.getUint32(DISK_SIGNATURE, true) !== 0;
    return { says: signed ? 'blank' : 'empty' };
  }
  const [only] = used;
  const protective = used.filter(({ type }) => type === PROTECTIVE);
  if (protective.length === 0) return { says: 'ordinary', entries };
  if (used.length > 1) return { says: 'hybrid', entries };
  // An entry that does not begin behind this very sector protects nothing.
  return only!.first === 1 ? { says: 'protective', covers: only!.sectors } : { says: 'empty' };
}
