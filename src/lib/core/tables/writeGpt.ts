import { tableSectors } from '../disk';
import { crc32 } from './crc32';
import { HEADER, HEADER_BYTES, NAME_UNITS, REVISION, SIGNATURE, type GptTable } from './gpt';
import { guidToBytes } from './guid';

/** Bytes to be written at a byte offset of the disk. */
export interface Write {
  offset: number;
  bytes: Uint8Array;
}

/**
 * A complete new GPT: protective MBR, primary and backup, in the order in which they may be written to a
 * disk that holds nothing yet. The backup is at the true end.
 *
 * @throws RangeError if a name is longer than 36 UTF-16 units or a slot lies outside the array
 */
export function writeGpt(table: GptTable): Write[] {
  const { sectorSize, sectors } = table;
  const arraySectors =
    tableSectors(sectorSize, { entries: table.entryCount, entrySize: table.entrySize }) - 1;
  const array = entryArray(table, arraySectors * sectorSize);
  const backupAt = sectors - 1;
  const header = (own: number, alternate: number, arrayAt: number) =>
    headerSector(table, { own, alternate, arrayAt }, array);
  return [
    { offset: 0, bytes: protectiveMbr(sectorSize, sectors) },
    { offset: (backupAt - arraySectors) * sectorSize, bytes: array },
    { offset: backupAt * sectorSize, bytes: header(backupAt, 1, backupAt - arraySectors) },
    { offset: 2 * sectorSize, bytes: array },
    { offset: sectorSize, bytes: header(1, backupAt, 2) },
  ];
}

function protectiveMbr(sectorSize: number, sectors: number): Uint8Array {
  const bytes = new Uint8Array(sectorSize);
  const view = new DataView(bytes.buffer);
  // UEFI 2.10 table 5.4: CHS 0/0/2 to the largest, then LBA 1 and the size, as far as 32 bits go.
  bytes.set([0x00, 0x00, 0x02, 0x00, 0xee, 0xff, 0xff, 0xff], 446);
  view.setUint32(454, 1, true);
  view.setUint32(458, Math.min(sectors - 1, 0xffffffff), true);
  bytes.set([0x55, 0xaa], 510);
  return bytes;
}

function entryArray(table: GptTable, length: number): Uint8Array {
  const bytes = new Uint8Array(length);
  const view = new DataView(bytes.buffer);
  for (const entry of table.entries) {
    if (entry.slot < 0 || entry.slot >= table.entryCount || (entry.slot + 1) * table.entrySize > length) {
      throw new RangeError(`no slot ${entry.slot}`);
    }
    if (entry.name.length > NAME_UNITS) throw new RangeError(`the name “${entry.name}” is too long`);
    const at = entry.slot * table.entrySize;
    bytes.set(guidToBytes(entry.type), at);
    bytes.set(guidToBytes(entry.id), at + 16);
    view.setBigUint64(at + 32, BigInt(entry.first), true);
    view.setBigUint64(at + 40, BigInt(entry.last), true);
    view.setBigUint64(at + 48, entry.attributes, true);
    for (let i = 0; i < entry.name.length; i++)
      view.setUint16(at + 56 + 2 * i, entry.name.charCodeAt(i), true);
  }
  return bytes;
}

interface Places {
  own: number;
  alternate: number;
  arrayAt: number;
}

function headerSector(table: GptTable, places: Places, array: Uint8Array): Uint8Array {
  const bytes = new Uint8Array(table.sectorSize);
  const view = new DataView(bytes.buffer);
  const u64 = (offset: number, value: number) => view.setBigUint64(offset, BigInt(value), true);
  bytes.set(new TextEncoder().encode(SIGNATURE));
  view.setUint32(HEADER.revision, REVISION, true);
  view.setUint32(HEADER.size, HEADER_BYTES, true);
  u64(HEADER.own, places.own);
  u64(HEADER.alternate, places.alternate);
  u64(HEADER.firstUsable, table.firstUsable);
  u64(HEADER.lastUsable, table.lastUsable);
  bytes.set(guidToBytes(table.diskId), HEADER.diskId);
  u64(HEADER.arrayAt, places.arrayAt);
  view.setUint32(HEADER.entryCount, table.entryCount, true);
  view.setUint32(HEADER.entrySize, table.entrySize, true);
  view.setUint32(HEADER.arrayCrc, crc32(array.subarray(0, table.entryCount * table.entrySize)), true);
  view.setUint32(HEADER.crc, crc32(bytes.subarray(0, HEADER_BYTES)), true);
  return bytes;
}
