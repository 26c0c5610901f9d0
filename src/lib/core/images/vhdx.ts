import { BrokenImage, catchBroken } from './broken';
import { latin1, viewOf } from '../bytes';
import CRC32C from 'crc-32/crc32c.js';
import { failure, success, type Outcome } from '../problem';
import { mappedDisk } from './mapped';
import { guidToText, ZERO_GUID } from '../tables/guid';
import { refuseImageDamage, slice, type ByteSource } from './source';

const KIB = 1024;
const MIB = 1024 * KIB;
const HEADERS = [64 * KIB, 128 * KIB];
const REGION_TABLES = [192 * KIB, 256 * KIB];
const REGION = {
  bat: '2DC27766-F623-4200-9D64-115E9BFD4A08',
  metadata: '8B7CA206-4790-4B9A-B8FE-575F050F886E',
} as const;
const ITEM = {
  parameters: 'CAA16737-FA36-4D43-B3B6-33F0AA44E76B',
  size: '2FA54224-CD1B-4876-B211-5DBED83BF4B8',
  sectorSize: '8141BF1D-A96F-4709-BA47-F233A8FAAB5F',
  diskId: 'BECA12AB-B2E6-4523-93EF-C309E000C746',
} as const;
const HAS_PARENT = 2;
/** MS-VHDX: 64 TiB, blocks of 1 to 256 MiB, 2^23 sectors to a sector-bitmap block. */
const MAX_BYTES = 64 * 2 ** 40;
const SECTORS_PER_CHUNK = 2 ** 23;
const PRESENT = 6;

/** A disk inside a VHDX, and the sector size that it shows. */
export interface VhdxDisk {
  source: ByteSource;
  sectorSize: number;
}

export async function isVhdx(source: ByteSource): Promise<boolean> {
  return source.size >= 8 && latin1(await source.read(0, 8)) === 'vhdxfile';
}

/**
 * The disk inside a VHDX (MS-VHDX; domain facts 11). The log must be empty: a file that was not closed in
 * good order is refused rather than read in part.
 *
 * Problem codes: `vhdx-broken`, `vhdx-log` (changes wait in its log), `vhdx-differencing`.
 */
export function openVhdx(source: ByteSource): Promise<Outcome<VhdxDisk>> {
  return catchBroken('This VHDX', 'vhdx-broken', () => open(source));
}

/** Places of the parts of a VHDX that change when it is written. */
export interface VhdxParts {
  size: number;
  sectorSize: number;
  blockSize: number;
  /** Blocks between two entries of sector bitmaps. */
  perChunk: number;
  table: { offset: number; length: number };
  /** Byte of the file with the size of the disk, in 64 bits. */
  sizeAt: number;
  /** GUID of the virtual disk, which stays the same. */
  diskId: string;
  /** Every part of the file that holds no blocks: headers, log, block table, metadata, whatever else there is. */
  taken: { at: number; length: number }[];
}

/** @throws Broken where {@link openVhdx} refuses it */
export async function readVhdxParts(source: ByteSource): Promise<VhdxParts> {
  const regions = await regionTable(source);
  const { blockSize, size, sectorSize, sizeAt, diskId } = await metadata(source, regions);
  const table = regions.get(REGION.bat);
  if (!table) throw new BrokenImage('its block table is missing');
  const header = viewOf(await currentHeader(source));
  const log = { at: Number(header.getBigUint64(72, true)), length: header.getUint32(68, true) };
  const others = [...regions.values()].map(({ offset, length }) => ({ at: offset, length }));
  return {
    size,
    sectorSize,
    blockSize,
    diskId,
    perChunk: (SECTORS_PER_CHUNK * sectorSize) / blockSize,
    table,
    sizeAt,
    taken: [{ at: 0, length: MIB }, log, ...others],
  };
}

/** A region table whose checksum is right; both copies say the same where both are sound. @throws Broken */
export async function soundRegionTable(source: ByteSource): Promise<Uint8Array> {
  for (const at of REGION_TABLES) {
    const bytes = await source.read(at, 64 * KIB);
    if (isSound(bytes, 'regi')) return bytes;
  }
  throw new BrokenImage('the checksums of both its region tables are wrong');
}

async function open(source: ByteSource): Promise<Outcome<VhdxDisk>> {
  const header = await currentHeader(source);
  if (guidToText(header.subarray(48, 64)) !== ZERO_GUID) {
    return failure({
      code: 'vhdx-log',
      path: '',
      message:
        'Changes wait in this VHDX’s log: it was not closed in good order. Let its own machine open and close it once.',
    });
  }
  const regions = await regionTable(source);
  const { blockSize, size, sectorSize, hasParent } = await metadata(source, regions);
  if (hasParent) {
    return failure({
      code: 'vhdx-differencing',
      path: '',
      message:
        'This VHDX holds only differences to another file. Merge it with its parent first; nothing was read.',
    });
  }
  const chunkRatio = (SECTORS_PER_CHUNK * sectorSize) / blockSize;
  const blocks = Math.ceil(size / blockSize);
  const entries = blocks + Math.floor((blocks - 1) / chunkRatio);
  const bat = regions.get(REGION.bat);
  if (!bat || bat.length < entries * 8) throw new BrokenImage('its block table is missing or too short');
  const table = viewOf(await source.read(bat.offset, entries * 8));

  const file = refuseImageDamage(source);
  const disk = mappedDisk(file, size, blockSize, async (block) => {
    // An entry for a sector bitmap stands after every `chunkRatio` blocks.
    const entry = table.getBigUint64((block + Math.floor(block / chunkRatio)) * 8, true);
    return Number(entry & 7n) === PRESENT ? Number(entry >> 20n) * MIB : 'zeros';
  });
  return success({ source: disk, sectorSize });
}

async function currentHeader(source: ByteSource): Promise<Uint8Array> {
  const sound: { bytes: Uint8Array; sequence: bigint }[] = [];
  for (const at of HEADERS) {
    const bytes = await source.read(at, 4 * KIB);
    if (isSound(bytes, 'head')) sound.push({ bytes, sequence: viewOf(bytes).getBigUint64(8, true) });
  }
  sound.sort((a, b) => (a.sequence > b.sequence ? -1 : 1));
  if (!sound[0]) throw new BrokenImage('the checksums of both its headers are wrong');
  return sound[0].bytes;
}

async function regionTable(source: ByteSource): Promise<Map<string, { offset: number; length: number }>> {
  const bytes = await soundRegionTable(source);
  const view = viewOf(bytes);
  const count = view.getUint32(8, true);
  if (count > 2047) throw new BrokenImage('its region table is impossible');
  return new Map(
    Array.from({ length: count }, (_, i) => {
      const entry = 16 + 32 * i;
      const place = {
        offset: Number(view.getBigUint64(entry + 16, true)),
        length: view.getUint32(entry + 24, true),
      };
      return [guidToText(bytes.subarray(entry, entry + 16)), place] as const;
    }),
  );
}

async function metadata(
  source: ByteSource,
  regions: Map<string, { offset: number; length: number }>,
): Promise<
  Pick<VhdxParts, 'blockSize' | 'size' | 'sectorSize' | 'sizeAt' | 'diskId'> & { hasParent: boolean }
> {
  const region = regions.get(REGION.metadata);
  if (!region || region.length < 64 * KIB) throw new BrokenImage('its metadata is missing');
  const area = slice(source, region.offset, region.length);
  const table = await area.read(0, 64 * KIB);
  const view = viewOf(table);
  if (latin1(table.subarray(0, 8)) !== 'metadata') throw new BrokenImage('its metadata is damaged');
  const places = new Map<string, { at: number; length: number }>();
  for (let i = 0; i < Math.min(2047, view.getUint16(10, true)); i++) {
    const entry = 32 + 32 * i;
    const place = { at: view.getUint32(entry + 16, true), length: view.getUint32(entry + 20, true) };
    places.set(guidToText(table.subarray(entry, entry + 16)), place);
  }
  const item = async (id: string, length: number): Promise<DataView> => {
    const place = places.get(id);
    if (!place || place.length < length) throw new BrokenImage('its metadata lacks an item');
    return viewOf(await area.read(place.at, length));
  };
  const parameters = await item(ITEM.parameters, 8);
  const blockSize = parameters.getUint32(0, true);
  const size = Number((await item(ITEM.size, 8)).getBigUint64(0, true));
  const sectorSize = (await item(ITEM.sectorSize, 4)).getUint32(0, true);
  const plausible =
    (sectorSize === 512 || sectorSize === 4096) &&
    Number.isInteger(Math.log2(blockSize)) &&
    blockSize >= MIB &&
    blockSize <= 256 * MIB &&
    size > 0 &&
    size <= MAX_BYTES &&
    size % sectorSize === 0;
  if (!plausible) throw new BrokenImage('its metadata holds impossible values');
  return {
    blockSize,
    size,
    sectorSize,
    hasParent: (parameters.getUint32(4, true) & HAS_PARENT) !== 0,
    sizeAt: region.offset + places.get(ITEM.size)!.at,
    diskId: places.has(ITEM.diskId)
      ? guidToText(await area.read(places.get(ITEM.diskId)!.at, 16))
      : ZERO_GUID,
  };
}

/** CRC-32C over the structure with its own field, bytes 4 to 7, taken as zero. */
function isSound(bytes: Uint8Array, signature: string): boolean {
  if (latin1(bytes.subarray(0, 4)) !== signature) return false;
  const copy = bytes.slice();
  copy.fill(0, 4, 8);
  return CRC32C.buf(copy) >>> 0 === viewOf(bytes).getUint32(4, true);
}
