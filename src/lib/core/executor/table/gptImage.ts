import { viewOf } from '../../bytes';
import { tableSectors, arraySectors } from '../../disk';
import { crc32 } from '../../tables/crc32';
import { HEADER, NAME_UNITS, type GptTable } from '../../tables/gpt';
import { guidToBytes } from '../../tables/guid';
import { readCopy, type SoundCopy } from '../../tables/readGpt';
import type { Device } from '../devices/device';
import type { TableCopy, TableImage } from '../plan';

/** A GPT as it lies on a disk: what it says, and its bytes. */
export interface GptNow {
  table: GptTable;
  image: TableImage;
}

/**
 * Reads a table whole, so that what is not changed stays to the bit: unknown attributes, what lies behind an entry's
 * known fields, boot code. Where one copy is bad it is made anew of the other (domain facts 2).
 */
export async function readGptNow(disk: Device): Promise<GptNow | null> {
  const { sectorSize } = disk;
  const sectors = Math.floor(disk.size / sectorSize);
  const primary = await readCopy(disk, sectorSize, sectors, 1);
  const record = await disk.read(0, sectorSize);
  const covers = viewOf(record).getUint32(0x1ca, true);
  const places = primary.ok ? [primary.alternate] : [sectors - 1, covers];
  let backup: SoundCopy | null = null;
  let backupAt = places[0]!;
  for (const at of places) {
    if (at < 2 || at >= sectors) continue;
    const copy = await readCopy(disk, sectorSize, sectors, at);
    if (!copy.ok) continue;
    backup = copy;
    backupAt = at;
    break;
  }
  const good = primary.ok ? primary : backup;
  if (!good) return null;
  const ofPrimary: TableCopy = primary.ok
    ? copyOf(primary, 1, sectorSize)
    : withHeader(copyOf(good, 1, sectorSize), { own: 1, alternate: backupAt, arrayAt: 2 }, sectorSize);
  const length = good.array.length / sectorSize;
  const ofBackup: TableCopy = backup
    ? copyOf(backup, backupAt, sectorSize)
    : withHeader(
        copyOf(good, backupAt, sectorSize),
        { own: backupAt, alternate: 1, arrayAt: backupAt - length },
        sectorSize,
      );
  // The primary counts where the two differ, and the next change makes the backup after it.
  return {
    table: { ...good.table, backupHeader: backupAt },
    image: { record, primary: ofPrimary, backup: { ...ofBackup, array: ofPrimary.array.slice() } },
  };
}

const copyOf = (copy: SoundCopy, at: number, sectorSize: number): TableCopy => ({
  headerAt: at * sectorSize,
  header: copy.header.slice(),
  arrayAt: copy.arrayAt * sectorSize,
  array: copy.array.slice(),
});

interface Places {
  own: number;
  alternate: number;
  arrayAt: number;
}

/** The same copy at other sectors, or with another last usable one. */
function withHeader(
  copy: TableCopy,
  { own, alternate, arrayAt }: Places,
  sectorSize: number,
  lastUsable?: number,
): TableCopy {
  const header = copy.header.slice();
  const view = viewOf(header);
  const u64 = (at: number, value: number) => view.setBigUint64(at, BigInt(value), true);
  u64(HEADER.own, own);
  u64(HEADER.alternate, alternate);
  u64(HEADER.arrayAt, arrayAt);
  if (lastUsable !== undefined) u64(HEADER.lastUsable, lastUsable);
  return sealed({ headerAt: own * sectorSize, header, arrayAt: arrayAt * sectorSize, array: copy.array });
}

/** The copy with both checksums right. */
function sealed(copy: TableCopy): TableCopy {
  const header = copy.header.slice();
  const view = viewOf(header);
  const length = view.getUint32(HEADER.entryCount, true) * view.getUint32(HEADER.entrySize, true);
  view.setUint32(HEADER.arrayCrc, crc32(copy.array.subarray(0, length)), true);
  view.setUint32(HEADER.crc, 0, true);
  view.setUint32(HEADER.crc, crc32(header.subarray(0, view.getUint32(HEADER.size, true))), true);
  return { ...copy, header };
}

/** Change of an entry: another place, gone, or made. Sectors; `last` is inclusive. */
export type EntryChange =
  | { slot: number; place: { first: number; last: number } }
  | { slot: number; gone: true }
  | {
      slot: number;
      made: { type: string; id: string; first: number; last: number; attributes: bigint; name: string };
    };

/** The table after a change of one entry; everything else stays to the bit. */
export function withEntry({ image, table }: GptNow, change: EntryChange): TableImage {
  const array = image.primary.array.slice();
  const at = change.slot * table.entrySize;
  const view = viewOf(array);
  const place = (first: number, last: number) => {
    view.setBigUint64(at + 32, BigInt(first), true);
    view.setBigUint64(at + 40, BigInt(last), true);
  };
  if ('place' in change) place(change.place.first, change.place.last);
  else array.fill(0, at, at + table.entrySize);
  if ('made' in change) {
    const { type, id, first, last, attributes, name } = change.made;
    array.set(guidToBytes(type), at);
    array.set(guidToBytes(id), at + 16);
    place(first, last);
    view.setBigUint64(at + 48, attributes, true);
    for (let i = 0; i < Math.min(NAME_UNITS, name.length); i++)
      view.setUint16(at + 56 + 2 * i, name.charCodeAt(i), true);
  }
  return {
    record: image.record,
    primary: sealed({ ...image.primary, array }),
    backup: sealed({ ...withAlike(image.backup, image.primary, table.sectorSize), array }),
  };
}

/** The backup's header says what the primary's says, but for the places. */
const withAlike = (backup: TableCopy, primary: TableCopy, sectorSize: number): TableCopy =>
  withHeader(
    { ...backup, header: primary.header },
    {
      own: backup.headerAt / sectorSize,
      alternate: primary.headerAt / sectorSize,
      arrayAt: backup.arrayAt / sectorSize,
    },
    sectorSize,
  );

/** The table with its backup at the true end of a disk, and what is new usable (domain facts 2). */
export function relocated({ image, table }: GptNow, sectors: number): TableImage {
  const { sectorSize, entryCount: entries, entrySize } = table;
  const array = { entries, entrySize };
  const end = sectors - 1;
  const lastUsable = end - tableSectors(sectorSize, array);
  const primaryPlaces = { own: 1, alternate: end, arrayAt: image.primary.arrayAt / sectorSize };
  const backupPlaces = { own: end, alternate: 1, arrayAt: end - arraySectors(sectorSize, array) };
  const primary = withHeader(image.primary, primaryPlaces, sectorSize, lastUsable);
  const backup = withHeader({ ...image.backup, header: primary.header }, backupPlaces, sectorSize);
  const record = image.record.slice();
  // UEFI 2.10 table 5.4: the size, as far as 32 bits go. What else lies in the sector is left alone.
  viewOf(record).setUint32(0x1ca, Math.min(sectors - 1, 0xffffffff), true);
  return { record, primary, backup };
}

/** A slot that no entry takes; null: the table is full. */
export function findFreeSlot({ table }: GptNow): number | null {
  const taken = new Set(table.entries.map(({ slot }) => slot));
  for (let slot = 0; slot < table.entryCount; slot++) if (!taken.has(slot)) return slot;
  return null;
}
