import { latin1, viewOf } from '../bytes';
import { ReadBeyondEnd, type ByteSource } from '../images/source';
import { failure, success, type Outcome, type Problem } from '../problem';
import { arraySectors } from '../disk';
import { crc32 } from './crc32';
import { HEADER, HEADER_BYTES, NAME_UNITS, REVISION, SIGNATURE, type GptEntry, type GptTable } from './gpt';
import { guidToText } from './guid';

/** Bounds of what is believed: a table beyond them is a defect or an attack, not a disk. */
const MAX_ARRAY_BYTES = 4 * 2 ** 20;
const MAX_ENTRY_SIZE = 4096;
/** More partitions than a survey takes of one disk. */
const MAX_PARTITIONS = 1024;
const SECTOR_SIZES = [512, 4096] as const;

export interface GptReading {
  table: GptTable;
  /** Sentences on what was not in order: a copy that was not used, a difference, an enlarged disk. */
  notes: string[];
}

/** Facts of the disk from elsewhere. */
export interface GptHints {
  /** Bytes a sector, where a disk image says so itself. */
  sectorSize?: number | undefined;
  /** Last sector that the protective record covers, in sectors; it tells an old end. */
  protectedEnd?: number | undefined;
}

/** One copy of a table as it was read: its entries, and the bytes that they come of, in whole sectors. */
export interface SoundCopy {
  ok: true;
  table: GptTable;
  alternate: number;
  header: Uint8Array;
  /** First sector of the entry array. */
  arrayAt: number;
  array: Uint8Array;
}
export type Copy = SoundCopy | { ok: false; signed: boolean; reason: string };

/** Both copies, read as if the disk had sectors of this size. */
interface Sized {
  sectorSize: number;
  sectors: number;
  primary: Copy;
  backup: Copy;
  backupAt: number;
}

/**
 * Finds and reads a GPT. Both copies are verified (own LBA, both CRCs); one bad copy is told and the other
 * used; where both are good but differ the primary counts (domain facts 2). The sector size is found, not
 * asked: it is the one with which a copy is valid. A signature alone is no table; a disk that was used with
 * other sectors carries one at the other place.
 *
 * Problem codes: `no-gpt` (there is no table at all), `gpt-broken` (neither copy can be used), `overlap`, `too-many`.
 */
export async function readGpt(source: ByteSource, hints: GptHints = {}): Promise<Outcome<GptReading>> {
  const sizes = SECTOR_SIZES.filter((size) => hints.sectorSize === undefined || size === hints.sectorSize);
  const tried: Sized[] = [];
  for (const size of sizes) tried.push(await readSized(source, size, hints));
  const [found, other] = tried
    .filter(({ primary, backup }) => primary.ok || backup.ok)
    .sort((a, b) => weight(b, hints) - weight(a, hints));
  if (!found) return noTable(tried);

  const { sectorSize, sectors, primary, backup, backupAt } = found;
  const notes: string[] = [];
  if (other) {
    notes.push(
      `A second partition table was found, for sectors of ${other.sectorSize} bytes. It is a leftover: the one for ${sectorSize} bytes fits the disk better and was used.`,
    );
  }
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
  if (table.entries.length > MAX_PARTITIONS) {
    const message = `The partition table holds ${table.entries.length} partitions; no disk with more than ${MAX_PARTITIONS} is looked at here.`;
    return failure({ code: 'too-many', path: '', message });
  }
  const overlap = firstOverlap(table.entries);
  if (overlap) return failure(overlap);
  return success({ table: { ...table, backupHeader: backupAt }, notes });
}

async function readSized(source: ByteSource, sectorSize: number, hints: GptHints): Promise<Sized> {
  const sectors = Math.floor(source.size / sectorSize);
  const end = sectors - 1;
  const primary = await readCopy(source, sectorSize, sectors, 1);
  // An enlarged disk has its backup where the old end was: the primary knows. Else it is in the last sector, or at
  // the end that the protective record still tells.
  const places = primary.ok ? [primary.alternate] : [end, hints.protectedEnd ?? end];
  let [backupAt, backup] = [places[0]!, await readCopy(source, sectorSize, sectors, places[0]!)];
  const old = places[1];
  if (!backup.ok && old !== undefined && old > 1 && old < end) {
    const there = await readCopy(source, sectorSize, sectors, old);
    if (there.ok) [backupAt, backup] = [old, there];
  }
  return { sectorSize, sectors, primary, backup, backupAt };
}

/** Grade of a table's fit: both copies, the primary, an end that the protective record knows. */
const weight = ({ primary, backup, backupAt }: Sized, { protectedEnd }: GptHints): number =>
  (primary.ok && backup.ok ? 4 : 0) + (backupAt === protectedEnd ? 2 : 0) + (primary.ok ? 1 : 0);

function noTable(tried: readonly Sized[]): Outcome<never> {
  const signed = tried.find(({ primary, backup }) =>
    [primary, backup].some((copy) => !copy.ok && copy.signed),
  );
  if (!signed) {
    return failure({ code: 'no-gpt', path: '', message: 'There is no GUID partition table in this file.' });
  }
  const reason = (copy: Copy) => (copy.ok ? '' : copy.reason);
  return failure({
    code: 'gpt-broken',
    path: '',
    message: `Neither copy of the partition table can be used. Primary: ${reason(signed.primary)}. Backup: ${reason(signed.backup)}. Nothing was read; restore the table or take a new image first.`,
  });
}

/** One copy, whose header is at sector `at`, held against its checksums and against itself. */
export async function readCopy(
  source: ByteSource,
  sectorSize: number,
  sectors: number,
  at: number,
): Promise<Copy> {
  let signed = false;
  const bad = (reason: string): Copy => ({ ok: false, signed, reason });
  try {
    const bytes = await source.read(at * sectorSize, sectorSize);
    const view = viewOf(bytes);
    const u64 = (offset: number) => Number(view.getBigUint64(offset, true));
    if (latin1(bytes.subarray(0, 8)) !== SIGNATURE) return bad('its signature is missing');
    signed = true;
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
    if (entryCount === 0 || entryCount * entrySize > MAX_ARRAY_BYTES)
      return bad('its entry count is impossible');
    const arrayAt = u64(HEADER.arrayAt);
    const arrayBytes = arraySectors(sectorSize, { entries: entryCount, entrySize }) * sectorSize;
    const arrayWhole = await source.read(arrayAt * sectorSize, arrayBytes);
    const array = arrayWhole.subarray(0, entryCount * entrySize);
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
    if (firstUsable < 3 || lastUsable < firstUsable) return bad('its usable area is impossible');
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
    const arrayEnd = arrayAt + arraySectors(sectorSize, { entries: entryCount, entrySize });
    const onArray = table.entries.find((entry) => entry.first < arrayEnd && entry.last >= arrayAt);
    if (onArray) return bad(`partition ${onArray.slot + 1} lies on the table itself`);
    return { ok: true, table, alternate: u64(HEADER.alternate), header: bytes, arrayAt, array: arrayWhole };
  } catch (error) {
    if (error instanceof ReadBeyondEnd) return bad('it lies beyond the end of the file');
    throw error;
  }
}
function readEntries(array: Uint8Array, count: number, size: number): GptEntry[] {
  const view = viewOf(array);
  const entries: GptEntry[] = [];
  for (let slot = 0; slot < count; slot++) {
    const at = slot * size;
    if (view.getBigUint64(at) === 0n && view.getBigUint64(at + 8) === 0n) continue;
    const type = array.subarray(at, at + 16);
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
