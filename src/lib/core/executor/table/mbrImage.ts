import { viewOf } from '../../bytes';
import { success, type Outcome } from '../../problem';
import { entryAt, inUse } from '../../tables/mbrEntry';
import { EXTENDED, readChainRecords } from '../../tables/readMbr';
import type { Device } from '../devices/device';
import type { DiskChange } from '../plan';

/** A partition of an MBR disk, and where it is named. */
export interface MbrSlot {
  kind: 'primary' | 'extended' | 'logical';
  type: number;
  first: number;
  sectors: number;
  /** Entry of a primary one, 0 to 3, or the sector of a logical drive's record. */
  named: number;
}

/** A master boot record and its chain as they lie on a disk. Positions in sectors of the disk. */
export interface MbrNow {
  record: Uint8Array;
  partitions: MbrSlot[];
  /** In the order of the chain; the first stands at the extended partition's start. */
  chain: { at: number; bytes: Uint8Array; drive: { type: number; first: number; sectors: number } | null }[];
}

/** Problem codes: `mbr-broken`. */
export async function readMbrNow(disk: Device): Promise<Outcome<MbrNow>> {
  const record = await disk.read(0, disk.sectorSize);
  const partitions: MbrSlot[] = [];
  let chain: MbrNow['chain'] = [];
  for (const [named, entry] of [0, 1, 2, 3].map((i) => entryAt(viewOf(record), i)).entries()) {
    if (!inUse(entry)) continue;
    const { type, first, sectors } = entry;
    const extended = EXTENDED.includes(type);
    partitions.push({ kind: extended ? 'extended' : 'primary', type, first, sectors, named });
    if (!extended) continue;
    const records = await readChainRecords(disk, disk.sectorSize, { first, sectors });
    if (!records.ok) return records;
    chain = records.value;
    for (const { at, drive } of chain)
      if (drive)
        partitions.push({
          kind: 'logical',
          type: drive.type,
          first: drive.first,
          sectors: drive.sectors,
          named: at,
        });
  }
  // Whole sectors, so that they are written as they were read.
  const whole: MbrNow['chain'] = [];
  for (const link of chain)
    whole.push({ ...link, bytes: await disk.read(link.at * disk.sectorSize, disk.sectorSize) });
  return success({ record, partitions, chain: whole });
}

export const extendedOf = (now: MbrNow): MbrSlot | undefined =>
  now.partitions.find(({ kind }) => kind === 'extended');

/**
 * The old way of naming places, by cylinder, head and sector, as far as it goes; nobody reads it, but it should not
 * lie.
 */
export function encodeChs(lba: number): [number, number, number] {
  const [heads, perTrack] = [255, 63];
  const cylinder = Math.floor(lba / (heads * perTrack));
  if (cylinder > 1023) return [254, 0xff, 0xff];
  const head = Math.floor(lba / perTrack) % heads;
  const sector = (lba % perTrack) + 1;
  return [head, sector | ((cylinder >> 2) & 0xc0), cylinder & 0xff];
}

/** Puts a place into entry `index` of a record: its type and status stay. `first` as the record counts it. */
function setPlace(record: Uint8Array, index: number, first: number, sectors: number, absolute: number): void {
  const at = 0x1be + 16 * index;
  const view = viewOf(record);
  const placed = view.getUint32(at + 8, true) !== first || view.getUint32(at + 12, true) !== sectors;
  if (!placed) return;
  record.set(encodeChs(absolute), at + 1);
  record.set(encodeChs(absolute + sectors - 1), at + 5);
  view.setUint32(at + 8, first, true);
  view.setUint32(at + 12, sectors, true);
}

/** The master record with a primary or extended partition at another place, or gone (null). */
function withPrimary(
  record: Uint8Array,
  index: number,
  to: { first: number; sectors: number } | null,
): Uint8Array {
  const out = record.slice();
  if (to) setPlace(out, index, to.first, to.sectors, to.first);
  else out.fill(0, 0x1be + 16 * index, 0x1be + 16 * index + 16);
  return out;
}

/** A chain as it should be: its records in order, each with its place and its drive. */
interface Link {
  at: number;
  /** The bytes that it is made of: of the record that named the drive before. */
  bytes: Uint8Array;
  drive: { type: number; first: number; sectors: number } | null;
}

/** The sectors of a chain's records, each leading to the next. */
function linked(links: readonly Link[], extendedFirst: number, sectorSize: number): Map<number, Uint8Array> {
  const out = new Map<number, Uint8Array>();
  for (const [i, { at, bytes, drive }] of links.entries()) {
    const sector = bytes.slice();
    viewOf(sector).setUint16(510, 0xaa55, true);
    if (drive) {
      sector[0x1be + 4] = drive.type;
      setPlace(sector, 0, drive.first - at, drive.sectors, drive.first);
    } else sector.fill(0, 0x1be, 0x1be + 16);
    const next = links[i + 1];
    if (!next) sector.fill(0, 0x1ce, 0x1ce + 16);
    else {
      const end = next.drive ? next.drive.first + next.drive.sectors : next.at + 1;
      sector[0x1ce] = 0;
      sector[0x1ce + 4] = 0x05;
      setPlace(sector, 1, next.at - extendedFirst, end - next.at, next.at);
    }
    out.set(at * sectorSize, sector);
  }
  return out;
}

/** Change of a partition: another place (and of a logical drive another place for its record), or gone. */
export type MbrChange =
  { slot: MbrSlot; to: { first: number; sectors: number }; recordAt?: number } | { slot: MbrSlot; to: null };

/**
 * A change as sectors before and after, in the order in which they may be written: records at new places, then those
 * that lead to them, then the master record, and last a record that was left behind: it is cleared, so that taking back
 * brings it again.
 *
 * @param pending changes that are made before these
 */
export async function mbrChange(
  disk: Device,
  now: MbrNow,
  change: MbrChange,
  pending: readonly DiskChange[][] = [],
): Promise<DiskChange[][]> {
  const { slot, to } = change;
  const size = disk.sectorSize;
  const frame = extendedOf(now);
  const changesOf = (sectors: readonly Map<number, Uint8Array>[]) => compared(disk, sectors, pending.flat());
  if (slot.kind === 'primary') return changesOf([new Map([[0, withPrimary(now.record, slot.named, to)]])]);
  if (slot.kind === 'extended') {
    const record = withPrimary(now.record, slot.named, to);
    if (!to || to.first === slot.first || now.chain.length === 0) return changesOf([new Map([[0, record]])]);
    // Every link counts from the extended partition's start, and the first record stands there.
    const links = now.chain.map((link, i) => (i === 0 ? { ...link, at: to.first } : link));
    return changesOf([linked(links, to.first, size), new Map([[0, record]])]);
  }
  const first = frame!.first;
  const links: Link[] = now.chain.flatMap((link, i) => {
    if (link.at !== slot.named) return [link];
    if (!to) return i === 0 ? [{ ...link, drive: null }] : [];
    const drive = { type: slot.type, ...to };
    return [{ ...link, drive, at: i === 0 ? link.at : ('recordAt' in change && change.recordAt) || link.at }];
  });
  const sectors = linked(links, first, size);
  const known = new Set(now.chain.map(({ at }) => at * size));
  const fresh = new Map([...sectors].filter(([at]) => !known.has(at)));
  const led = new Map([...sectors].filter(([at]) => known.has(at)));
  const left = to !== null && !sectors.has(slot.named * size);
  const cleared = new Map(left ? [[slot.named * size, new Uint8Array(size)]] : []);
  return changesOf([fresh, led, cleared]);
}

/**
 * One more partition, not active: within the extended partition a logical drive at the end of the chain, else a primary
 * one in the first entry that is free; null: none is, or the drive has no sector before it for its record.
 *
 * @param gap sectors that a record lies before its drive, where there is that much room
 */
export async function mbrAdded(
  disk: Device,
  now: MbrNow,
  added: { type: number; first: number; sectors: number },
  gap: number,
): Promise<DiskChange[][] | null> {
  const frame = extendedOf(now);
  const { type, first, sectors } = added;
  if (frame && first >= frame.first && first + sectors <= frame.first + frame.sectors)
    return logicalAdded(disk, now, frame, added, gap);
  const index = [0, 1, 2, 3].find((i) => !inUse(entryAt(viewOf(now.record), i)));
  if (index === undefined) return null;
  const record = now.record.slice();
  record.fill(0, 0x1be + 16 * index, 0x1be + 16 * index + 16);
  record[0x1be + 16 * index + 4] = type;
  setPlace(record, index, first, sectors, first);
  return compared(disk, [new Map([[0, record]])], []);
}

async function logicalAdded(
  disk: Device,
  now: MbrNow,
  frame: MbrSlot,
  drive: { type: number; first: number; sectors: number },
  gap: number,
): Promise<DiskChange[][] | null> {
  const size = disk.sectorSize;
  const empty = now.chain.length === 0 || now.chain[0]!.drive === null;
  const ends = now.partitions.filter(({ kind }) => kind === 'logical').map((one) => one.first + one.sectors);
  const before = Math.max(
    frame.first + 1,
    ...ends.filter((end) => end <= drive.first),
    ...now.chain.filter(({ at }) => at < drive.first).map(({ at }) => at + 1),
  );
  const at = empty ? frame.first : drive.first - Math.min(gap, drive.first - before);
  if (at >= drive.first || (empty && drive.first <= frame.first)) return null;
  const link = { at, bytes: empty ? await disk.read(at * size, size) : new Uint8Array(size), drive };
  const rest = empty ? now.chain.slice(1) : now.chain;
  const sectors = linked(empty ? [link, ...rest] : [...rest, link], frame.first, size);
  const known = new Set(now.chain.map((one) => one.at * size));
  const fresh = new Map([...sectors].filter(([offset]) => !known.has(offset)));
  const led = new Map([...sectors].filter(([offset]) => known.has(offset)));
  return compared(disk, [fresh, led], []);
}

async function compared(
  disk: Device,
  groups: readonly Map<number, Uint8Array>[],
  pending: readonly DiskChange[],
): Promise<DiskChange[][]> {
  const out: DiskChange[][] = [];
  for (const group of groups) {
    const changes: DiskChange[] = [];
    for (const [offset, after] of group) {
      const changed = pending.findLast((one) => one.offset === offset);
      const before = changed?.after ?? (await disk.read(offset, after.length));
      if (before.some((byte, i) => byte !== after[i]))
        changes.push({ offset, before: before.slice(), after });
    }
    if (changes.length > 0) out.push(changes);
  }
  return out;
}
