import { latin1, viewOf } from '../bytes';
import type { ByteSource } from '../images/source';
import { guidToText } from '../tables/guid';

/**
 * What marks an encrypted volume (domain facts 5): that Windows unlocks it, and the form that encrypts as it is
 * written.
 */
const IDS = ['4967D63B-2E29-4AD8-8399-F6A339E3D001', '92A84D3B-DD80-4D0E-9E4E-B1E3284EAED8'];
const SIGNATURE = '-FVE-FS-';
/**
 * Where a boot sector keeps that mark, and behind it the place of the first block of what is needed to unlock: in that
 * of a fixed drive, and in that of a removable one, which for older systems looks like FAT (`MSWIN4.1`).
 */
const PLACES = [160, 424];
const BLOCK_AT = 16;

/**
 * Whether a volume is encrypted, by its boot sector: its signature in place of a file system's name, or the mark of one
 * that shows an unencrypted face ("discovery volume") with a FAT in front, or such a face whose first block bears the
 * signature.
 */
export async function isEncryptedVolume(source: ByteSource, boot: Uint8Array): Promise<boolean> {
  if (latin1(boot.subarray(3, 11)) === SIGNATURE) return true;
  const view = viewOf(boot);
  if (boot.length < 512 || view.getUint16(510, true) !== 0xaa55) return false;
  for (const at of PLACES) {
    if (IDS.includes(guidToText(boot.subarray(at, at + 16)))) return true;
    const block = Number(view.getBigUint64(at + BLOCK_AT, true));
    if (block === 0 || block % 512 !== 0 || block + 8 > source.size) continue;
    if (latin1(await source.read(block, 8)) === SIGNATURE) return true;
  }
  return false;
}
