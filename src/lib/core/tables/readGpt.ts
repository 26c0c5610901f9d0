import { ReadBeyondEnd, type ByteSource } from '../images/source';
import { failure, success, type Outcome, type Problem } from '../problem';
import { tableSectors } from '../disk';
import { crc32 } from './crc32';
import { HEADER, HEADER_BYTES, NAME_UNITS, REVISION, SIGNATURE, type GptEntry, type GptTable } from './gpt';
import { guidToText } from './guid';

/** Bounds of what is believed: a table beyond them is a defect or an attack, not a disk. */
const MAX_ENTRIES = 1024;
const MAX_ENTRY_SIZE = 4096;

export interface GptReading {
  table: GptTable;
  /** What was not in order, in sentences: a copy that was not used, a difference, an enlarged disk. */
  notes: string[];
}

type Copy = { ok: true; table: GptTable; arrayAt: number; alternate: number } | { ok: false; reason: string };

/**
 * Finds and reads a GPT. Both copies are verified (own LBA, both CRCs); one bad copy is told and the other
 * used; where both are good but differ the primary counts (domain facts 2). The sector size is found, not
 * asked: the header stands in sector 1, at byte 512 or byte 4,096.
 *
 * Problem codes: `no-gpt` (there is no table at all), `gpt-broken` (neither copy can be used).
 */
export async function readGpt(source: ByteSource): Promise<Outcome<GptReading>> {
  const sectorSize = await findSectorSize(source);
  if (sectorSize === null) {
    return failure({ code: 'no-gpt', path: '', message: 'There is no GUID partition table in this file.' });
  }
  const sectors = Math.floor(source.size / sectorSize);
  const primary = await readCopy(source, sectorSize, sectors, 1);
  // An enlarged disk has its backup where the old end was: the primary knows. Else it is in the last sector.
  const backupAt = primary.ok ? primary.alternate : sectors - 1;
  const backup = await readCopy(source, sectorSize, sectors, backupAt);

  if (!primary.ok && !backup.ok) {
    return failure({
      code: 'gpt-broken',
      path: '',
      message: `Neither copy of the partition table can be used. Primary: ${primary.reason}. Backup: ${backup.reason}. Nothing was read; restore the table or take a new image first.`,
    });
  }
  const notes: string[] = [];
  if (!primary.ok)
    notes.push(`The primary partition table is damaged (${primary.reason}); the backup was used.`);
  if (!backup.ok)
    notes.push(`The backup partition table is damaged (${backup.reason}); the primary was used.`);
  if (primary.ok && backup.ok && !sameTable(primary.table, backup.table)) {
    notes.push('The two copies of the partition table differ; the primary was used.');
  }
  const table = primary.ok ? primary.table : (backup as Extract<Copy, { ok: true }>).table;
  if (backupAt < sectors - 1) {
    notes.push(
      `The disk is ${sectors - 1 - backupAt} sectors longer than its partition table knows: the backup table is not at the end.`,
    );
  }
  const overlap = firstOverlap(table.entries);
  if (overlap) return failure(overlap);
  return success({ table: { ...table, backupHeader: backupAt }, notes });
}

async function findSectorSize(source: ByteSource): Promise<number | null> {
  const signed = async (at: number): Promise<boolean> => {
    if (at < 0 || at + 8 > source.size) return false;
    return new TextDecoder('latin1').decode(await source.read(at, 8)) === SIGNATURE;
  };
  for (const size of [512, 4096]) if (await signed(size)) return size;
  // The primary may be gone altogether: the backup is in the last sector.
  for (const size of [512, 4096]) {
    if (source.size % size === 0 && (await signed(source.size - size))) return size;
  }
  return null;
}

async function readCopy(source: ByteSource, sectorSize: number, sectors: number, at: number): Promise<Copy> {
  const bad = (reason: string): Copy => ({ ok: false, reason });
  try {
    const bytes = await source.read(at * sectorSize, sectorSize);
    const view = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength);
    const u64 = (offset: number) => Number(view.getBigUint64(offset, true));
    if (new TextDecoder('latin1').decode(bytes.subarray(0, 8)) !== SIGNATURE)
      return bad('its signature is missing');
    const headerSize = view.getUint32(HEADER.size, true);
    if (view.getUint32(HEADER.revision, true) !== REVISION) return bad('its revision is not 1.0');
    if (headerSize < HEADER_BYTES || headerSize > sectorSize) return bad('its header size is impossible');
    const header = bytes.slice(0, headerSize);
    header.fill(0, HEADER.crc, HEADER.crc + 4);
    if (crc32(header) !== view.getUint32(HEADER.crc, true)) return bad('its header checksum is wrong');
    if (u64(HEADER.own) !== at) return bad('its header names another place than its own');

    const entryCount = view.getUint32(HEADER.entryCount, true);
    const entrySize = view.getUint32(HEADER.entrySize, true);
    const powerOfTwo = entrySize >= 128 && (entrySize & (entrySize - 1)) === 0;
    if (!powerOfTwo || entrySize > MAX_ENTRY_SIZE) return bad('its entry size is impossible');
    if (entryCount === 0 || entryCount > MAX_ENTRIES) return bad('its entry count is impossible');
    const arrayAt = u64(HEADER.arrayAt);
    const array = await source.read(arrayAt * sectorSize, entryCount * entrySize);
    if (crc32(array) !== view.getUint32(HEADER.arrayCrc, true))
      return bad('the checksum of its entries is wrong');

    const firstUsable = u64(HEADER.firstUsable);
    const lastUsable = u64(HEADER.lastUsable);
    const reach = Math.max(lastUsable, u64(HEADER.alternate));
    if (reach >= sectors) {
      return bad(
        `it describes a disk that reaches to sector ${reach}, but the file ends at sector ${sectors - 1}: the file is cut short`,
      );
    }
    if (firstUsable < tableSectors(sectorSize) + 1 || lastUsable < firstUsable) {
      return bad('its usable area is impossible');
    }
    const table: GptTable = {
      sectorSize,
      sectors,
      diskId: guidToText(bytes.subarray(HEADER.diskId, HEADER.diskId + 16)),
      firstUsable,
      lastUsable,
      backupHeader: sectors - 1,
      entryCount,
      entrySize,
      entries: readEntries(array, entryCount, entrySize),
    };
    const outside = table.entries.find(
      (entry) => entry.first < firstUsable || entry.last > lastUsable || entry.last < entry.first,
    );
    if (outside) return bad(`partition ${outside.slot + 1} lies outside the usable area`);
    return { ok: true, table, arrayAt, alternate: u64(HEADER.alternate) };
  } catch (error) {
    if (error instanceof ReadBeyondEnd) return bad('it lies beyond the end of the file');
    throw error;
  }
}

function readEntries(array: Uint8Array, count: number, size: number): GptEntry[] {
  const view = new DataView(array.buffer, array.byteOffset, array.byteLength);
  const entries: GptEntry[] = [];
  for (let slot = 0; slot < count; slot++) {
    const at = slot * size;
    const type = array.subarray(at, at + 16);
    if (type.every((byte) => byte === 0)) continue;
    const units = Array.from({ length: NAME_UNITS }, (_, i) => view.getUint16(at + 56 + 2 * i, true));
    const end = units.indexOf(0);
    entries.push({
      slot,
      type: guidToText(type),
      id: guidToText(array.subarray(at + 16, at + 32)),
      first: Number(view.getBigUint64(at + 32, true)),
      last: Number(view.getBigUint64(at + 40, true)),
      attributes: view.getBigUint64(at + 48, true),
      name: String.fromCharCode(...(end < 0 ? units : units.slice(0, end))),
    });
  }
  return entries;
}

function sameTable(a: GptTable, b: GptTable): boolean {
  const essence = (table: GptTable) =>
    JSON.stringify([table.diskId, table.firstUsable, table.lastUsable, table.entries], (_, value: unknown) =>
      typeof value === 'bigint' ? value.toString(16) : value,
    );
  return essence(a) === essence(b);
}

function firstOverlap(entries: readonly GptEntry[]): Problem | null {
  const sorted = [...entries].sort((a, b) => a.first - b.first);
  for (const [i, entry] of sorted.entries()) {
    const before = sorted[i - 1];
    if (before && entry.first <= before.last) {
      return {
        code: 'overlap',
        path: '',
        message: `Partitions ${before.slot + 1} and ${entry.slot + 1} overlap in the partition table (sector ${entry.first}). Such a disk must be mended before anything else.`,
      };
    }
  }
  return null;
}
