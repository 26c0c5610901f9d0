import { latin1, viewOf } from '../bytes';
import { overlaps, type Extent } from '../disk';
import type { Step } from '../steps';
import { crc32 } from '../tables/crc32';
import { isZero, type Device } from './devices/device';
import { listPartitionsNow, type TableNow } from './table/tableNow';

/**
 * The mark of a disk in work: one sector that lies in no partition and in no table. It says which run works on the disk
 * and how far that run is, so that a journal of another disk, an older copy of the journal, and a disk that was
 * restored meanwhile are told from the right ones. It goes when the run ends.
 */
export interface Mark {
  /** GUID of the run. */
  run: string;
  /** Number of the state that comes next in the journal, or was noted last. */
  turn: number;
  /** When the run began, RFC 3339, and where its journal lay then. */
  begunAt: string;
  journal: string;
}

const MAGIC = 'GTINWORK';
const HEAD = 20;
const MAX_PATH = 200;
/** Only the first and the last MiB of a disk are looked at. */
const LOOK = 2 ** 20;

export async function writeMark(disk: Device, at: number, mark: Mark): Promise<void> {
  const journal = mark.journal.slice(-MAX_PATH);
  const text = new TextEncoder().encode(JSON.stringify({ ...mark, journal }));
  const bytes = new Uint8Array(disk.sectorSize);
  // A long path takes several bytes a letter; what else it says still fits.
  if (HEAD + text.length > bytes.length) return writeMark(disk, at, { ...mark, journal: '' });
  const view = viewOf(bytes);
  bytes.set(new TextEncoder().encode(MAGIC));
  view.setUint32(8, text.length, true);
  bytes.set(text, HEAD);
  view.setUint32(12, crc32(text), true);
  await disk.write(at, bytes);
}

export const removeMark = (disk: Device, at: number): Promise<void> => disk.zero(at, disk.sectorSize);

/** The mark in a sector; null: there is none. */
export async function readMark(disk: Device, at: number): Promise<Mark | null> {
  if (at + disk.sectorSize > disk.size) return null;
  return markIn(await disk.read(at, disk.sectorSize));
}

function markIn(bytes: Uint8Array): Mark | null {
  if (latin1(bytes.subarray(0, 8)) !== MAGIC) return null;
  const view = viewOf(bytes);
  const text = bytes.subarray(HEAD, HEAD + Math.min(bytes.length - HEAD, view.getUint32(8, true)));
  return crc32(text) === view.getUint32(12, true)
    ? (JSON.parse(new TextDecoder().decode(text)) as Mark)
    : null;
}

/** Whatever run left a mark on a disk; null: none did. */
export async function findMark(disk: Device): Promise<Mark | null> {
  for (const { at, bytes } of await ends(disk))
    for (let offset = 0; offset < bytes.length; offset += disk.sectorSize) {
      if (at + offset === 0) continue;
      const mark = markIn(bytes.subarray(offset, offset + disk.sectorSize));
      if (mark) return mark;
    }
  return null;
}

/**
 * Where a run may leave its mark, in bytes: a sector of zeros before the first partition or behind the last one, in no
 * place that the disk's table or any step uses. null: there is none.
 */
export async function placeForMark(
  disk: Device,
  table: TableNow,
  steps: readonly Step[],
): Promise<number | null> {
  const { sectorSize } = disk;
  const used = usedBy(table, steps, sectorSize);
  const first = Math.min(...used.partitions.map((one) => one.first));
  const end = Math.max(...used.partitions.map((one) => one.first + one.sectors));
  const enlarged = steps.some(({ verb }) => verb === 'enlarge-disk');
  for (const { at, bytes } of await ends(disk))
    for (let offset = bytes.length - sectorSize; offset >= 0; offset -= sectorSize) {
      const sector = (at + offset) / sectorSize;
      // Room behind the last partition is where an enlarged disk gets its table, or another system its own.
      if (sector >= first && (sector < end || enlarged)) continue;
      const own = { first: sector, sectors: 1 };
      if (sector === 0 || [...used.partitions, ...used.tables].some((one) => overlaps(one, own))) continue;
      if (isZero(bytes.subarray(offset, offset + sectorSize))) return at + offset;
    }
  return null;
}

/** The first and the last MiB of a disk, as far as there are two. */
async function ends(disk: Device): Promise<{ at: number; bytes: Uint8Array }[]> {
  const whole = Math.floor(disk.size / disk.sectorSize) * disk.sectorSize;
  const length = Math.min(LOOK, whole);
  const front = { at: 0, bytes: await disk.read(0, length) };
  const rest = Math.min(LOOK, whole - length);
  return rest > 0 ? [front, { at: whole - rest, bytes: await disk.read(whole - rest, rest) }] : [front];
}

function usedBy(
  table: TableNow,
  steps: readonly Step[],
  sectorSize: number,
): { partitions: Extent[]; tables: Extent[] } {
  const partitions: Extent[] = [...listPartitionsNow(table)];
  for (const step of steps) {
    if (step.from) partitions.push(step.from);
    if ('to' in step && step.to) partitions.push(step.to);
  }
  if (table.kind === 'mbr') return { partitions, tables: [{ first: 0, sectors: 1 }] };
  const { record, primary, backup } = table.gpt.image;
  const place = (at: number, { length }: Uint8Array): Extent => ({
    first: at / sectorSize,
    sectors: length / sectorSize,
  });
  const tables = [primary, backup].flatMap(({ headerAt, header, arrayAt, array }) => [
    place(headerAt, header),
    place(arrayAt, array),
  ]);
  // A table that is relocated ends where the disk ends.
  const sectors = Math.floor(table.gpt.table.sectors);
  const length = 1 + primary.array.length / sectorSize;
  return {
    partitions,
    tables: [...tables, place(0, record), { first: sectors - length, sectors: length }],
  };
}
