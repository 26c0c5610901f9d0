import { isZero, type Device, type Stretch } from './devices/device';
import type { Change, Extents, Operation, Place } from './plan';
import { writeTable } from './table/writeTable';

/** Real bytes that a copy writes between two notes: what is done again after a cut. */
const CHECKPOINT = 256 * 2 ** 20;
/** Real bytes that a slide writes between two notes, at most: it goes no farther than its own distance anyway. */
const WINDOW = 64 * 2 ** 20;
const CHUNK = 4 * 2 ** 20;
/** Of what holds nothing larger pieces go at once. */
const EMPTY_CHUNK = 64 * 2 ** 20;
/** How far is looked for data where there is none, at first. */
const LOOK = 256 * 2 ** 20;

/** The devices of a bench, and what is told and asked on the way. */
export interface Bench {
  device(place: Place): Promise<Device>;
  /** Bytes that have arrived in this operation, whether they are safe or not; asked to wait or to stop by throwing. */
  progress(at: number): Promise<void>;
  /** All that was written so far is to be safe before this returns, and then that the operation is done up to `at`. */
  note(at: number): Promise<void>;
}

/** Where an operation begins, in the terms of a run's `at`. */
export const beginOf = (operation: Operation): number =>
  operation.op === 'slide' && operation.toAt > operation.fromAt ? operation.length : 0;

/** Where it ends. */
export function endOf(operation: Operation): number {
  if (operation.op === 'slide') return operation.toAt > operation.fromAt ? 0 : operation.length;
  if (operation.op !== 'copy') return 0;
  const { extents } = operation;
  return extents.length === 0 ? 0 : extents.at(-2)! + extents.at(-1)!;
}

/** Bytes of an operation that have arrived when it is done up to `at`. */
export function arrived(operation: Operation, at: number): number {
  if (operation.op !== 'copy' && operation.op !== 'slide') return 0;
  const right = operation.op === 'slide' && operation.toAt > operation.fromAt;
  let bytes = 0;
  for (let i = 0; i < operation.extents.length; i += 2) {
    const [offset, length] = [operation.extents[i]!, operation.extents[i + 1]!];
    const below = Math.max(0, Math.min(length, at - offset));
    bytes += right ? length - below : below;
  }
  return bytes;
}

/** Carries an operation out from where it is. Whatever a cut left of it, this may be begun again. */
export async function carry(bench: Bench, operation: Operation, at: number): Promise<void> {
  const disk = await bench.device('disk');
  switch (operation.op) {
    case 'change':
      return changeAll(bench, disk, operation.groups, 'after');
    case 'table':
      return writeTable(disk, operation.before, operation.after);
    case 'copy':
      return copy(bench, operation, at);
    case 'slide':
      return slide(bench, disk, operation, at, false);
    case 'fill':
      return fill(bench, disk, operation);
    case 'resize':
      return disk.resize(operation.after);
  }
}

/** Takes an operation back from where it is. */
export async function takeBack(bench: Bench, operation: Operation, at: number): Promise<void> {
  const disk = await bench.device('disk');
  switch (operation.op) {
    case 'change':
      return changeAll(bench, disk, operation.groups.toReversed(), 'before');
    case 'table':
      return writeTable(disk, operation.after, operation.before);
    case 'copy':
      return; // The source is as it was, and nobody's table leads to the copy.
    case 'slide':
      return slide(bench, disk, operation, at, true);
    case 'fill':
      return fill(bench, disk, operation);
    case 'resize':
      return disk.resize(operation.before);
  }
}

async function changeAll(
  bench: Bench,
  disk: Device,
  groups: readonly Change[][],
  to: 'before' | 'after',
): Promise<void> {
  for (const group of groups) {
    await bench.progress(0);
    for (const change of group) await disk.write(change.offset, change[to]);
    await disk.flush();
  }
}

async function fill(
  bench: Bench,
  disk: Device,
  { offset, length, byte }: Extract<Operation, { op: 'fill' }>,
): Promise<void> {
  if (byte === 0) return disk.zero(offset, length);
  const bytes = new Uint8Array(Math.min(CHUNK, length)).fill(byte);
  for (let at = 0; at < length; at += CHUNK) {
    await bench.progress(0);
    await disk.write(offset + at, bytes.subarray(0, Math.min(CHUNK, length - at)));
  }
}

async function copy(
  bench: Bench,
  { from, fromAt, to, toAt, extents }: Extract<Operation, { op: 'copy' }>,
  begin: number,
): Promise<void> {
  const [source, target] = [await bench.device(from), await bench.device(to)];
  const writer = new Writer(source, fromAt, target, toAt);
  let since = 0;
  for (let i = 0; i < extents.length; i += 2) {
    const end = extents[i]! + extents[i + 1]!;
    const first = Math.max(begin, extents[i]!);
    for (let at = first; at < end;) {
      // Looked at in pieces, so that what is known of a large extent never takes much memory.
      const look = Math.min(end, at + 16 * LOOK);
      for (const piece of await pieces(source, fromAt, at, look, false)) {
        await bench.progress(piece.offset);
        await writer.take(piece);
        if (piece.data) since += piece.length;
        if (since < CHECKPOINT) continue;
        await writer.end();
        await target.flush();
        await bench.note(piece.offset + piece.length);
        since = 0;
      }
      at = look;
    }
  }
  await writer.end();
  await target.flush();
}

interface Piece extends Stretch {
  /** It may hold anything but zeros. */
  data: boolean;
}

/** A range of what is moved, in pieces of what holds data and what holds nothing, in the order in which they go. */
async function pieces(
  source: Device,
  base: number,
  from: number,
  to: number,
  descending: boolean,
): Promise<Piece[]> {
  const out: Piece[] = [];
  const add = (offset: number, end: number, data: boolean) => {
    const most = data ? CHUNK : EMPTY_CHUNK;
    for (let at = offset; at < end; at += most)
      out.push({ offset: at, length: Math.min(most, end - at), data });
  };
  let at = from;
  for (const { offset, length } of await source.stretches(base + from, to - from)) {
    add(at, offset - base, false);
    add(offset - base, offset - base + length, true);
    at = offset - base + length;
  }
  add(at, to, false);
  return descending ? out.reverse() : out;
}

/** Reads the next piece while the one before is being written. */
class Writer {
  private writing: Promise<void> = Promise.resolve();

  constructor(
    private readonly source: Device,
    private readonly fromAt: number,
    private readonly target: Device,
    private readonly toAt: number,
  ) {}

  async take({ offset, length, data }: Piece): Promise<void> {
    let bytes: Uint8Array | null = null;
    try {
      if (data) bytes = await this.source.read(this.fromAt + offset, length);
    } finally {
      await this.end();
    }
    this.writing =
      bytes && !isZero(bytes)
        ? this.target.write(this.toAt + offset, bytes)
        : this.target.zero(this.toAt + offset, length);
    // Whoever waits for it learns of a failure; until then it must not count as unhandled.
    this.writing.catch(() => {});
  }

  async end(): Promise<void> {
    const { writing } = this;
    this.writing = Promise.resolve();
    await writing;
  }
}

/**
 * Window by window, each no longer than the distance, so that a window never writes over what it reads: it can be done again
 * after a cut, in either direction. A stretch that holds nothing may be longer: zeros written over zeros stay zeros.
 */
async function slide(
  bench: Bench,
  disk: Device,
  { fromAt, toAt, length, extents }: Extract<Operation, { op: 'slide' }>,
  begin: number,
  back: boolean,
): Promise<void> {
  const descending = toAt > fromAt !== back;
  const [source, target] = back ? [toAt, fromAt] : [fromAt, toAt];
  const distance = Math.abs(toAt - fromAt);
  const writer = new Writer(disk, source, disk, target);
  for (let at = begin; at !== (descending ? 0 : length);) {
    const window = await nextWindow(disk, source, { at, distance, length, extents, descending });
    for (const piece of window.pieces) {
      await bench.progress(descending ? piece.offset + piece.length : piece.offset);
      await writer.take(piece);
    }
    await writer.end();
    await disk.flush();
    at = window.edge;
    await bench.note(at);
  }
}

interface Window {
  pieces: Piece[];
  /** The boundary once it is done. */
  edge: number;
}

async function nextWindow(
  disk: Device,
  base: number,
  slide: { at: number; distance: number; length: number; extents: Extents; descending: boolean },
): Promise<Window> {
  const { at, length, extents, descending } = slide;
  const found: Piece[] = [];
  let look = slide.distance;
  for (let near = at; ;) {
    const far = descending ? Math.max(0, near - look) : Math.min(length, near + look);
    const [from, to] = descending ? [far, near] : [near, far];
    const here: Piece[] = [];
    for (const { offset, length: size } of within(extents, from, to, descending))
      here.push(...(await pieces(disk, base, offset, offset + size, descending)));
    const first = here.findIndex((piece) => piece.data);
    if (first >= 0 && near === at) return filled(here, far, descending);
    if (first >= 0) {
      const data = here[first]!;
      return {
        pieces: [...found, ...here.slice(0, first)],
        edge: descending ? data.offset + data.length : data.offset,
      };
    }
    found.push(...here);
    if (far === (descending ? 0 : length)) return { pieces: found, edge: far };
    near = far;
    look = Math.max(2 * look, LOOK);
  }
}

/** As many pieces of a window as are written at once. */
function filled(all: Piece[], far: number, descending: boolean): Window {
  let bytes = 0;
  for (const [i, piece] of all.entries()) {
    if (piece.data) bytes += piece.length;
    if (bytes < WINDOW || i === all.length - 1) continue;
    return {
      pieces: all.slice(0, i + 1),
      edge: descending ? piece.offset : piece.offset + piece.length,
    };
  }
  return { pieces: all, edge: far };
}

/** The extents within a range, in the order in which they go. */
function within(extents: Extents, from: number, to: number, descending: boolean): Stretch[] {
  const out: Stretch[] = [];
  for (let i = 2 * firstEndingAfter(extents, from); i < extents.length && extents[i]! < to; i += 2) {
    const [offset, end] = [Math.max(from, extents[i]!), Math.min(to, extents[i]! + extents[i + 1]!)];
    if (end > offset) out.push({ offset, length: end - offset });
  }
  return descending ? out.reverse() : out;
}

function firstEndingAfter(extents: Extents, at: number): number {
  let [low, high] = [0, extents.length / 2];
  while (low < high) {
    const middle = (low + high) >> 1;
    if (extents[2 * middle]! + extents[2 * middle + 1]! <= at) low = middle + 1;
    else high = middle;
  }
  return low;
}
