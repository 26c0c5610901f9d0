import { slice } from '../images/source';
import { success, failure, type Outcome } from '../problem';
import { crc32 } from '../tables/crc32';
import { parseNtfsBoot } from '../volumes/ntfs/bootSector';
import type { Device, Stretch } from './devices/device';
import type { Extents, Operation, DiskPlace } from './plan';
import { readDiskId, listPartitionsNow, readTableNow, type TableNow } from './table/tableNow';

/** Identity of a disk, whatever steps do to it. */
export interface DiskIdentity {
  sectorSize: number;
  /** GUID of the disk, or its signature. */
  id: string;
  /** Serial number, where its file or its drive has one. */
  serial: string | null;
}

/** A stretch that stays as it is until the next state is noted, and the CRC-32 of its bytes. */
export interface WitnessSum extends Stretch {
  what: 'table' | 'volume' | 'arrived' | 'to-come';
  on: DiskPlace;
  crc: number;
}
type Steady = Omit<WitnessSum, 'crc'>;

/** Bytes on either side of the boundary of the operation in hand. */
const NEAR = 64 * 1024;
/** Pieces that they may lie in. */
const MAX_PIECES = 8;
/** Extents that are looked at for what is written over first. */
const MAX_LOOKED = 64;
/** Volumes whose first structures are summed, and bytes of the file table of each. */
const MAX_VOLUMES = 48;
const MAX_RECORDS = 64 * 1024;
const BOOT = 4096;

/** Identity of a disk, at whatever instant. @param serial see {@link DiskIdentity} */
export const identityOf = async (disk: Device, serial: string | null): Promise<DiskIdentity> => ({
  sectorSize: disk.sectorSize,
  id: await readDiskId(disk),
  serial,
});

/** Whether a journal belongs to a disk. Problem code: `other-disk`. */
export function sameDisk(was: DiskIdentity, is: DiskIdentity): Outcome<null> {
  const differs =
    was.id !== is.id
      ? `the disk ${was.id || 'without an identifier'}, and this one is ${is.id || 'without one'}`
      : was.serial !== is.serial
        ? `the disk with serial number ${was.serial ?? 'none'}, and this one has ${is.serial ?? 'none'}`
        : was.sectorSize !== is.sectorSize
          ? `a disk with sectors of ${was.sectorSize} bytes, and this one has sectors of ${is.sectorSize}`
          : null;
  return differs === null
    ? success(null)
    : failure({
        code: 'other-disk',
        path: '',
        message: `The journal belongs to ${differs}. Nothing was written. Give the disk and the journal that belong together.`,
      });
}

/**
 * The stretches of the disk that no operation in hand writes to: its table and the first structures of its volumes.
 * They are the same for the whole operation.
 *
 * @param operation null: between two steps
 */
export async function findSteadyDuring(disk: Device, operation: Operation | null): Promise<Steady[]> {
  const table = await readTableNow(disk);
  // In the middle of a change a chain of records may lead nowhere; then what lies at the boundary tells.
  if (!table.ok) return [];
  const all = [...tablePlaces(table.value, disk.sectorSize), ...(await volumePlaces(disk, table.value))];
  const changing = operation ? writesOf(operation, disk.sectorSize) : [];
  return all.filter((one) => !changing.some((other) => touch(one, other)));
}

/**
 * The stretches on both sides of the boundary of an operation; what lies there changes no more, or not before the next
 * state.
 */
export function findSteadyAt(operation: Operation, at: number): Steady[] {
  switch (operation.op) {
    case 'slide':
      return besideSlide(operation, at);
    case 'copy': {
      const { from, fromAt, to, toAt, extents } = operation;
      return [
        ...preceding(extents, at).map((one) => steady('arrived', to, toAt, one)),
        ...following(extents, at).map((one) => steady('to-come', from, fromAt, one)),
      ];
    }
    case 'scatter':
      return besideScatter(operation, at);
    default:
      return [];
  }
}

export async function summed(
  device: (place: DiskPlace) => Promise<Device>,
  stretches: readonly Steady[],
): Promise<WitnessSum[]> {
  const sums: WitnessSum[] = [];
  for (const one of stretches) sums.push({ ...one, crc: await crcOf(await device(one.on), one) });
  return sums;
}

/** The first stretch that is not as it was; null: all are. */
export async function findFirstChange(
  device: (place: DiskPlace) => Promise<Device>,
  sums: readonly WitnessSum[],
): Promise<WitnessSum | null> {
  for (const one of sums) {
    const on = await device(one.on);
    if (one.offset + one.length > on.size || (await crcOf(on, one)) !== one.crc) return one;
  }
  return null;
}

const crcOf = async (on: Device, { offset, length }: Stretch): Promise<number> =>
  crc32(await on.read(offset, length));

function tablePlaces(table: TableNow, sectorSize: number): Steady[] {
  const one = (offset: number, length: number): Steady => ({ what: 'table', on: 'disk', offset, length });
  if (table.kind === 'mbr')
    return [0, ...table.mbr.chain.map(({ at }) => at * sectorSize)].map((at) => one(at, sectorSize));
  const { record, primary, backup } = table.gpt.image;
  return [
    one(0, record.length),
    ...[primary, backup].flatMap(({ headerAt, header, arrayAt, array }) => [
      one(headerAt, header.length),
      one(arrayAt, array.length),
    ]),
  ];
}

/** Boot sectors, and of NTFS the first file records: whoever mounts a volume to write changes them. */
async function volumePlaces(disk: Device, table: TableNow): Promise<Steady[]> {
  const places: Steady[] = [];
  for (const { kind, first, sectors } of listPartitionsNow(table).slice(0, MAX_VOLUMES)) {
    if (kind === 'extended') continue;
    const [base, size] = [first * disk.sectorSize, sectors * disk.sectorSize];
    if (base + size > disk.size) continue;
    places.push({ what: 'volume', on: 'disk', offset: base, length: Math.min(BOOT, size) });
    const boot = parseNtfsBoot(await slice(disk, base, size).read(0, 512));
    if (!boot) continue;
    const records = boot.mftCluster * boot.clusterSize;
    const length = Math.min(MAX_RECORDS, size - records);
    if (length > 0 && records % disk.sectorSize === 0 && length % disk.sectorSize === 0)
      places.push({ what: 'volume', on: 'disk', offset: base + records, length });
  }
  return places;
}

const touch = (a: Stretch & { on: DiskPlace }, b: Stretch & { on: DiskPlace }): boolean =>
  a.on === b.on && a.offset < b.offset + b.length && b.offset < a.offset + a.length;

/** Everything that an operation may write to, in either direction. */
function writesOf(operation: Operation, sectorSize: number): (Stretch & { on: DiskPlace })[] {
  const disk = (offset: number, length: number) => ({ on: 'disk' as DiskPlace, offset, length });
  switch (operation.op) {
    case 'change':
      return operation.groups.flat().map(({ offset, after }) => ({
        on: operation.on,
        offset,
        length: after.length,
      }));
    case 'table':
      return [operation.before, operation.after].flatMap(({ record, primary, backup }) => [
        disk(0, record.length),
        ...[primary, backup].flatMap(({ headerAt, header, arrayAt, array }) => [
          disk(headerAt, header.length),
          disk(arrayAt, array.length),
        ]),
      ]);
    case 'copy':
      return [{ on: operation.to, offset: operation.toAt, length: endOfExtents(operation.extents) }];
    case 'scatter': {
      const out = [];
      for (let i = 0; i < operation.moves.length; i += 3)
        out.push({ on: operation.on, offset: operation.moves[i + 1]!, length: operation.moves[i + 2]! });
      return out;
    }
    case 'slide':
      return [operation.fromAt, operation.toAt].map((at) => disk(at, operation.length));
    case 'fill':
      return [{ on: operation.on, offset: operation.offset, length: operation.length }];
    case 'lay':
      return operation.laid.map((one) => ({
        on: operation.on,
        offset: one.offset,
        length: 'bytes' in one ? one.bytes.length : one.length,
      }));
    case 'format':
      return [disk(operation.first * sectorSize, operation.sectors * sectorSize)];
    case 'resize': {
      // The end of the disk, wherever it is: the backup of its table lies there.
      const from = Math.min(operation.before, operation.after);
      return [disk(from, Math.max(operation.before, operation.after) - from)];
    }
  }
}

const endOfExtents = (extents: Extents): number =>
  extents.length === 0 ? 0 : extents.at(-2)! + extents.at(-1)!;

const steady = (what: Steady['what'], on: DiskPlace, base: number, { offset, length }: Stretch): Steady => ({
  what,
  on,
  offset: base + offset,
  length,
});

/**
 * Beside the boundary of a slide. What comes next is never written over before it was moved. Where an older copy of the
 * journal is given, the run has gone on from there, and what it wrote over first is what lies next to that older
 * boundary and where something else was moved to: so that is summed as well.
 */
function besideSlide({ fromAt, toAt, extents }: Extract<Operation, { op: 'slide' }>, at: number): Steady[] {
  const right = toAt > fromAt;
  const [arrived, toCome] = right
    ? [following(extents, at), preceding(extents, at)]
    : [preceding(extents, at), following(extents, at)];
  return [
    ...arrived.map((one) => steady('arrived', 'disk', toAt, one)),
    ...toCome.map((one) => steady('to-come', 'disk', fromAt, one)),
    ...firstWrittenOver(extents, at, toAt - fromAt).map((one) => steady('to-come', 'disk', fromAt, one)),
  ];
}

function besideScatter({ on, moves }: Extract<Operation, { op: 'scatter' }>, at: number): Steady[] {
  const out: Steady[] = [];
  let done = 0;
  for (let i = 0; i < moves.length; i += 3) {
    const [from, to, length] = [moves[i]!, moves[i + 1]!, moves[i + 2]!];
    const size = Math.min(NEAR, length);
    // The piece that arrived last, and the one that comes next.
    if (done + length <= at && done + length > at - NEAR)
      out.push({ what: 'arrived', on, offset: to + length - size, length: size });
    if (done >= at && out.filter(({ what }) => what === 'to-come').length < MAX_PIECES)
      out.push({ what: 'to-come', on, offset: from, length: size });
    if (done > at + NEAR) break;
    done += length;
  }
  return out.slice(-2 * MAX_PIECES);
}

/**
 * Bytes in use beside the boundary that the slide writes over first: where something else in use goes to.
 * @param shift bytes by which everything moves
 */
function firstWrittenOver(extents: Extents, at: number, shift: number): Stretch[] {
  const out: Stretch[] = [];
  const step = shift > 0 ? -2 : 2;
  let left = NEAR;
  let i = 2 * Math.max(0, lastBelow(extents, at));
  for (let looked = 0; looked < MAX_LOOKED && left > 0 && i >= 0 && i < extents.length; looked++, i += step) {
    const end = extents[i]! + extents[i + 1]!;
    const side = shift > 0 ? [extents[i]!, Math.min(at, end)] : [Math.max(at, extents[i]!), end];
    const pieces = sharedBy(extents, side[0]!, side[1]!, shift);
    for (const { offset, length } of shift > 0 ? pieces.reverse() : pieces) {
      const take = Math.min(left, length);
      if (take > 0 && out.length < MAX_PIECES)
        out.push({ offset: shift > 0 ? offset + length - take : offset, length: take });
      left -= take;
    }
  }
  return out;
}

/** Parts of a range to which something in use is moved by a shift, in order. */
function sharedBy(extents: Extents, from: number, to: number, shift: number): Stretch[] {
  const out: Stretch[] = [];
  const first = 2 * Math.max(0, lastBelow(extents, from - shift + 1));
  for (let i = first; i < extents.length && extents[i]! + shift < to && out.length < MAX_LOOKED; i += 2) {
    const offset = Math.max(from, extents[i]! + shift);
    const length = Math.min(to, extents[i]! + extents[i + 1]! + shift) - offset;
    if (length > 0) out.push({ offset, length });
  }
  return out;
}

/** The last bytes in use below a boundary. */
function preceding(extents: Extents, at: number): Stretch[] {
  const out: Stretch[] = [];
  let left = NEAR;
  for (let i = 2 * lastBelow(extents, at); i >= 0 && left > 0 && out.length < MAX_PIECES; i -= 2) {
    const [offset, end] = [extents[i]!, Math.min(at, extents[i]! + extents[i + 1]!)];
    const length = Math.min(left, end - offset);
    if (length <= 0) continue;
    out.push({ offset: end - length, length });
    left -= length;
  }
  return out;
}

/** The first bytes in use from a boundary on. */
function following(extents: Extents, at: number): Stretch[] {
  const out: Stretch[] = [];
  let left = NEAR;
  const start = 2 * Math.max(0, lastBelow(extents, at));
  for (let i = start; i < extents.length && left > 0 && out.length < MAX_PIECES; i += 2) {
    const [offset, end] = [Math.max(at, extents[i]!), extents[i]! + extents[i + 1]!];
    const length = Math.min(left, end - offset);
    if (length <= 0) continue;
    out.push({ offset, length });
    left -= length;
  }
  return out;
}

/** The number of the last extent that begins below a boundary; -1: none does. */
function lastBelow(extents: Extents, at: number): number {
  let [low, high] = [0, extents.length / 2];
  while (low < high) {
    const middle = (low + high) >> 1;
    if (extents[2 * middle]! < at) low = middle + 1;
    else high = middle;
  }
  return low - 1;
}
