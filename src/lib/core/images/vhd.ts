import { latin1, viewOf } from '../bytes';
import { failure, success, type Outcome } from '../problem';
import { checkedSource, refuseImageDamage, ReadBeyondEnd, type ByteSource } from './source';

const SECTOR = 512;
/** The format's own bound, 2,040 GiB (domain facts 11). */
const MAX_BYTES = 2040 * 2 ** 30;
const MAX_BLOCK = 2 ** 28;
/** Bytes of the block table: usual blocks of 2 MiB need 4 MiB for the largest disk. */
const MAX_TABLE = 64 * 2 ** 20;
const ABSENT = 0xffffffff;
const TYPE = { fixed: 2, dynamic: 3, differencing: 4 } as const;

/** Whether the file ends (or, dynamic, begins) as a VHD does. */
export async function isVhd(source: ByteSource): Promise<boolean> {
  if (source.size < 2 * SECTOR) return false;
  const cookies = await Promise.all([source.read(0, 8), source.read(source.size - SECTOR, 8)]);
  return cookies.some((cookie) => latin1(cookie) === 'conectix');
}

/**
 * The disk inside a VHD, fixed or dynamic (domain facts 11; all fields big-endian).
 *
 * Problem codes: `vhd-broken` (a checksum or a value is wrong), `vhd-differencing` (its parent is elsewhere).
 */
export async function openVhd(source: ByteSource): Promise<Outcome<ByteSource>> {
  const broken = (reason: string) =>
    failure({
      code: 'vhd-broken',
      path: '',
      message: `This VHD can't be read: ${reason}. Make it again from its disk.`,
    });
  const footer = (await soundFooter(source, source.size - SECTOR)) ?? (await soundFooter(source, 0));
  if (!footer) return broken('the checksum of its footer is wrong');
  const size = Number(footer.getBigUint64(48));
  const type = footer.getUint32(60);
  if (size === 0 || size % SECTOR !== 0 || size > MAX_BYTES) return broken('the size it gives is impossible');
  if (type === TYPE.differencing) {
    return failure({
      code: 'vhd-differencing',
      path: '',
      message:
        'This VHD holds only differences to another file. Merge it with its parent first; nothing was read.',
    });
  }
  if (type === TYPE.fixed) {
    if (size > source.size - SECTOR) return broken('it is shorter than the disk it describes');
    return success(checkedSource(size, (offset, length) => source.read(offset, length)));
  }
  if (type !== TYPE.dynamic) return broken(`its kind (${type}) is not known`);
  try {
    return await openDynamic(source, size, Number(footer.getBigUint64(16)), broken);
  } catch (error) {
    if (error instanceof ReadBeyondEnd) return broken('it is cut short');
    throw error;
  }
}

async function openDynamic(
  source: ByteSource,
  size: number,
  headerAt: number,
  broken: (reason: string) => Outcome<ByteSource>,
): Promise<Outcome<ByteSource>> {
  const header = await source.read(headerAt, 1024);
  const view = viewOf(header);
  if (latin1(header.subarray(0, 8)) !== 'cxsparse' || vhdChecksum(header, 36) !== view.getUint32(36)) {
    return broken('the checksum of its header is wrong');
  }
  const tableAt = Number(view.getBigUint64(16));
  const entries = view.getUint32(28);
  const blockSize = view.getUint32(32);
  const powerOfTwo = blockSize >= SECTOR && (blockSize & (blockSize - 1)) === 0 && blockSize <= MAX_BLOCK;
  const blocks = Math.ceil(size / blockSize);
  if (!powerOfTwo || entries < blocks || blocks * 4 > MAX_TABLE)
    return broken('its block table is impossible');
  const table = viewOf(await source.read(tableAt, blocks * 4));
  const file = refuseImageDamage(source);
  const bitmapBytes = Math.ceil(blockSize / SECTOR / 8 / SECTOR) * SECTOR;

  return success(
    checkedSource(size, async (offset, length) => {
      const out = new Uint8Array(length);
      for (let done = 0; done < length;) {
        const at = offset + done;
        const inBlock = at % blockSize;
        const take = Math.min(length - done, blockSize - inBlock);
        const sector = table.getUint32(Math.floor(at / blockSize) * 4);
        if (sector !== ABSENT) {
          const blockAt = sector * SECTOR;
          const bitmap = await file.read(blockAt, bitmapBytes);
          const data = await file.read(blockAt + bitmapBytes + inBlock, take);
          copyPresent(bitmap, inBlock, data, out.subarray(done, done + take));
        }
        done += take;
      }
      return out;
    }),
  );
}

/** Copies the sectors whose bit is set, most significant bit first; the others stay zero. */
function copyPresent(bitmap: Uint8Array, inBlock: number, data: Uint8Array, out: Uint8Array): void {
  for (let at = 0; at < data.length;) {
    const sector = Math.floor((inBlock + at) / SECTOR);
    const end = Math.min(data.length, (sector + 1) * SECTOR - inBlock);
    if ((bitmap[sector >> 3]! >> (7 - (sector & 7))) & 1) out.set(data.subarray(at, end), at);
    at = end;
  }
}

async function soundFooter(source: ByteSource, at: number): Promise<DataView | null> {
  const bytes = await source.read(at, SECTOR);
  const view = viewOf(bytes);
  return latin1(bytes.subarray(0, 8)) === 'conectix' && vhdChecksum(bytes, 64) === view.getUint32(64)
    ? view
    : null;
}

/** Ones' complement of the byte sum, the checksum's own four bytes taken as zero. */
export function vhdChecksum(bytes: Uint8Array, fieldAt: number): number {
  let sum = 0;
  bytes.forEach((byte, i) => (sum += i >= fieldAt && i < fieldAt + 4 ? 0 : byte));
  return ~sum >>> 0;
}
