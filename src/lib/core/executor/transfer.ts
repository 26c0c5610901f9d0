import { isZero, type Device, type Stretch } from './devices/device';
import type { DiskPlace, Extents, Operation } from './plan';

/** Real bytes that a copy writes between two notes: what is done again after a cut. */
const CHECKPOINT = 256 * 2 ** 20;
/** Real bytes that a slide writes between two notes, at most: it goes no farther than its own distance anyway. */
const WINDOW = 64 * 2 ** 20;
/** Real bytes that are read and written at once. */
const CHUNK = 4 * 2 ** 20;
/** Size of a piece that holds nothing: it may be larger than others. */
const EMPTY_CHUNK = 64 * 2 ** 20;
/** Distance to look for data where there is none, at first. */
const LOOK = 256 * 2 ** 20;

/** The devices of an execution, and what it reports on the way. */
export interface ExecutionContext {
  device(place: DiskPlace): Promise<Device>;
  /** Bytes that have arrived in this operation, whether they are safe or not; asked to wait or to stop by throwing. */
  progress(at: number): Promise<void>;
  /** Makes safe all that was written so far, and then notes that the operation is done up to `at`. */
  note(at: number): Promise<void>;
}

/** Piece by piece; each goes to where nothing lies, so all of it may be done again. */
export const moveScattered = (
  context: ExecutionContext,
  { on, moves }: { on: DiskPlace; moves: readonly number[] },
  begin: number,
): Promise<void> =>
  transfer(
    context,
    on,
    on,
    (function* () {
      let at = 0;
      for (let i = 0; i < moves.length; i += 3) {
        const [from, to, length] = [moves[i]!, moves[i + 1]!, moves[i + 2]!];
        yield { at, length, fromAt: from - at, toAt: to - at };
        at += length;
      }
    })(),
    begin,
  );

export const copyExtents = (
  context: ExecutionContext,
  { from, fromAt, to, toAt, extents }: Extract<Operation, { op: 'copy' }>,
  begin: number,
): Promise<void> =>
  transfer(
    context,
    from,
    to,
    (function* () {
      for (let i = 0; i < extents.length; i += 2)
        yield { at: extents[i]!, length: extents[i + 1]!, fromAt, toAt };
    })(),
    begin,
  );

/**
 * A part of what is transferred: its place in the terms of a run's `at`, and what is added to that in source and
 * target.
 */
interface Part {
  at: number;
  length: number;
  fromAt: number;
  toAt: number;
}

async function transfer(
  context: ExecutionContext,
  from: DiskPlace,
  to: DiskPlace,
  parts: Iterable<Part>,
  begin: number,
): Promise<void> {
  const [source, target] = [await context.device(from), await context.device(to)];
  const writer = new Writer(source, target);
  let since = 0;
  for (const { at: start, length, fromAt, toAt } of parts) {
    const end = start + length;
    for (let at = Math.max(begin, start); at < end;) {
      // Looked at in pieces, so that what is known of a large part never takes much memory.
      const look = Math.min(end, at + 16 * LOOK);
      for (const piece of await listPieces(source, fromAt, at, look, false)) {
        await context.progress(piece.offset);
        await writer.take(piece, fromAt, toAt);
        if (piece.data) since += piece.length;
        if (since < CHECKPOINT) continue;
        await writer.end();
        await context.note(piece.offset + piece.length);
        since = 0;
      }
      at = look;
    }
  }
  await writer.end();
}

interface Piece extends Stretch {
  /** Whether it may hold anything but zeros. */
  data: boolean;
}

/** A range of what is moved, in pieces of what holds data and what holds nothing, in the order in which they go. */
async function listPieces(
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
    private readonly target: Device,
  ) {}

  async take({ offset, length, data }: Piece, fromAt: number, toAt: number): Promise<void> {
    let bytes: Uint8Array | null = null;
    try {
      if (data) bytes = await this.source.read(fromAt + offset, length);
    } finally {
      await this.end();
    }
    this.writing =
      bytes && !isZero(bytes)
        ? this.target.write(toAt + offset, bytes)
        : this.target.zero(toAt + offset, length);
    // A failure reaches whoever waits for it; until then it must not count as unhandled.
    this.writing.catch(() => {});
  }

  async end(): Promise<void> {
    const { writing } = this;
    this.writing = Promise.resolve();
    await writing;
  }
}

/**
 * Window by window, each no longer than the distance, so that a window never writes over what it reads: it can be done
 * again after a cut, in either direction. A stretch that holds nothing may be longer: zeros written over zeros stay
 * zeros.
 */
export async function slideExtents(
  context: ExecutionContext,
  disk: Device,
  { fromAt, toAt, length, extents }: Extract<Operation, { op: 'slide' }>,
  begin: number,
  back: boolean,
): Promise<void> {
  const descending = toAt > fromAt !== back;
  const [source, target] = back ? [toAt, fromAt] : [fromAt, toAt];
  const distance = Math.abs(toAt - fromAt);
  const writer = new Writer(disk, disk);
  for (let at = begin; at !== (descending ? 0 : length);) {
    const window = await nextWindow(disk, source, { at, distance, length, extents, descending });
    for (const piece of window.pieces) {
      await context.progress(descending ? piece.offset + piece.length : piece.offset);
      await writer.take(piece, source, target);
    }
    await writer.end();
    at = window.edge;
    await context.note(at);
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
    for (const { offset, length: size } of extentsWithin(extents, from, to, descending))
      here.push(...(await listPieces(disk, base, offset, offset + size, descending)));
    const first = here.findIndex((piece) => piece.data);
    if (first >= 0 && near === at) return limitPieces(here, far, descending);
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

/** Pieces of a window that are written at once. */
function limitPieces(all: Piece[], far: number, descending: boolean): Window {
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
function extentsWithin(extents: Extents, from: number, to: number, descending: boolean): Stretch[] {
  const out: Stretch[] = [];
  for (let i = 2 * findEndingAfter(extents, from); i < extents.length && extents[i]! < to; i += 2) {
    const [offset, end] = [Math.max(from, extents[i]!), Math.min(to, extents[i]! + extents[i + 1]!)];
    if (end > offset) out.push({ offset, length: end - offset });
  }
  return descending ? out.reverse() : out;
}

function findEndingAfter(extents: Extents, at: number): number {
  let [low, high] = [0, extents.length / 2];
  while (low < high) {
    const middle = (low + high) >> 1;
    if (extents[2 * middle]! + extents[2 * middle + 1]! <= at) low = middle + 1;
    else high = middle;
  }
  return low;
}
