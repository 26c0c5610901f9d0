import { viewOf } from '../../bytes';
import type { ByteSource } from '../../images/source';
import type { Problem } from '../../problem';

/** Offset and signature of a volume's own header of shadow copies (domain facts 4). */
const HEADER_AT = 0x1e00;
const ID = [0x6b, 0x87, 0x08, 0x38, 0x76, 0xc1, 0x48, 0x4e, 0xb7, 0xae, 0x04, 0x04, 0x6e, 0x6c, 0xc7, 0x52];
const CATALOG_FIELD = 0x30;
const BLOCK = 16_384;
const BLOCK_HEAD = 128;
const NEXT_FIELD = 0x28;
const ENTRY = 128;
/** Entries that name a copy, and where its blocks lie. */
const NAMES_COPY = [2, 3];
const MAX_BLOCKS = 64;

/**
 * Why a volume with shadow copies is not made smaller: they name places of the volume, and what is relocated would be
 * wrong in them; Windows would even write to those places. A catalogue of none matters only where it lies beyond the
 * new end. null: nothing speaks against it. Problem code: `shadow-copies`.
 *
 * @param end bytes of the volume as it will be
 */
export async function findShadowCopyProblem(
  volume: ByteSource,
  end: number,
  name: string,
): Promise<Problem | null> {
  if (!(await hasShadowCopies(volume, end))) return null;
  return {
    code: 'shadow-copies',
    path: '',
    message: `${name} holds shadow copies, which name places on the volume. Delete them first (in Windows: restore points), then survey the disk again.`,
  };
}

async function hasShadowCopies(volume: ByteSource, end: number): Promise<boolean> {
  if (volume.size < HEADER_AT + 512) return false;
  const header = await volume.read(HEADER_AT, 512);
  if (!isOurs(header)) return false;
  let at = catalogAt(header, CATALOG_FIELD);
  for (let block = 0; at > 0 && block < MAX_BLOCKS; block++) {
    // A catalogue that can't be read may name copies.
    if (at % 512 !== 0 || at + BLOCK > Math.min(end, volume.size)) return true;
    const bytes = await volume.read(at, BLOCK);
    if (!isOurs(bytes)) return true;
    const view = viewOf(bytes);
    for (let entry = BLOCK_HEAD; entry + ENTRY <= BLOCK; entry += ENTRY)
      if (NAMES_COPY.includes(Number(view.getBigUint64(entry, true)))) return true;
    at = catalogAt(bytes, NEXT_FIELD);
  }
  return at > 0;
}

const isOurs = (bytes: Uint8Array): boolean => ID.every((byte, i) => bytes[i] === byte);

const catalogAt = (bytes: Uint8Array, field: number): number =>
  Number(viewOf(bytes).getBigUint64(field, true));
