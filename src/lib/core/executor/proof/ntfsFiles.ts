import type { Stretch } from '../devices/device';
import {
  BrokenVolume,
  bytesOf,
  COMPRESSED,
  nameFrom,
  Records,
  type Attr,
  type Geometry,
  type VolumePiece,
} from './ntfsRecords';
import {
  fingerprint,
  numbers,
  readsOf,
  hashOf,
  type Content,
  type Gate,
  type NewHash,
  type NewStreamHash,
} from './content';

const TYPE = {
  standard: 0x10,
  name: 0x30,
  security: 0x50,
  data: 0x80,
  reparse: 0xc0,
  attributes: 0xe0,
} as const;
const ROOT = 5;
const BAD_CLUSTERS = 8;
/** Records below are the file system's own. */
const FIRST_OF_USERS = 24;
const SHORT_NAME = 2;
const MAX_DEPTH = 1024;
const MAX_KEPT = 1024 * 1024;

/** Facts of a file or folder, in a form that is equal only where all of them are. */
export interface FileFact {
  /** From the root, folders apart by `/`; an alternate stream has its name behind a colon. A folder ends with `/`. */
  path: string;
  /** Bytes. */
  size: number;
  /**
   * `bytes`: of all of them; `holes`: of what was written into a stream with holes, each run with its place;
   * `fingerprint`: of what is not empty; `stored`: of a compressed stream as it is stored; `placed`: not its bytes, but
   * where they lie.
   */
  kind: 'bytes' | 'holes' | 'fingerprint' | 'stored' | 'placed' | 'folder';
  hash: string;
  /** Mark of a file of its own: no folder, no stream beside another, no further name of one. */
  counts: boolean;
  /**
   * Created, changed, and changed as a record, in the format's own units, and the flags; then what else hangs on it,
   * hashed.
   */
  facts: string;
}

export interface FileOptions {
  newHash: NewHash;
  newStreamHash: NewStreamHash;
  /** Streams longer than this get a fingerprint; null: none does. Bytes. */
  fingerprintAbove: number | null;
  /**
   * Whether the bytes of a stream are read; where they are not, it is said where they lie.
   * @param end byte of the volume behind the last of them @param key tells the stream from others of the volume, as
   *   long as there is one
   */
  reads: (end: number, key: string) => boolean;
  gate: Gate;
}

/** Other findings on the way. */
export interface NtfsFiles {
  files: FileFact[];
  /** Keys of the streams whose bytes were read, of those that lie outside of their records. */
  read: string[];
  /** Hash of all file records. */
  records: string;
  /** Clusters that the volume counts as bad. */
  bad: number;
  /** Used bytes of the volume that belong to no user's file and are no file record. */
  structures: Stretch[];
}

/**
 * Every file of an NTFS volume, under each of its names, in one pass over its records. The file system's own records
 * are left out: growing changes them.
 *
 * @throws Broken where the volume can't be read
 */
export async function readNtfsFiles(content: Content, options: FileOptions): Promise<NtfsFiles> {
  const records = await Records.open(content);
  const { cluster } = records.geo;
  const broken = (message: string): never => {
    throw new BrokenVolume(message);
  };
  const folders = new Map<number, Name>();
  const reader = new FileReader(records.geo, content, options);
  const ahead = new Ahead();
  const found: { names: Name[]; facts: string; told: Told[] }[] = [];
  const structures: Stretch[] = [];
  const places = (attr: Attr): Stretch[] =>
    attr.pieces.flatMap(({ lcn, count }) =>
      lcn < 0 ? [] : [{ offset: lcn * cluster, length: count * cluster }],
    );
  let bad = 0;
  const raw = options.newHash();
  for await (const rec of records.all(broken, (bytes) => raw.update(bytes))) {
    if (!rec.used || rec.base !== null) continue;
    const attrs = await records.whole(rec);
    const own = rec.number < FIRST_OF_USERS;
    for (const attr of attrs) {
      if (own && rec.number === BAD_CLUSTERS && attr.type === TYPE.data && attr.name === '$Bad')
        for (const { lcn, count } of attr.pieces) bad += lcn < 0 ? 0 : count;
      else if ((own && rec.number > 0) || attr.type !== TYPE.data) structures.push(...places(attr));
    }
    const names = namesIn(attrs);
    if (rec.folder && names[0]) folders.set(rec.number, names[0]);
    if (own || names.length === 0) continue;
    const told: Told[] = rec.folder ? [{ suffix: '/', size: 0, kind: 'folder', hash: '' }] : [];
    for (const stream of attrs.filter(({ type }) => type === TYPE.data)) {
      const suffix = stream.name === '' ? '' : `:${stream.name}`;
      const one: Told = { suffix, size: stream.size, kind: 'folder', hash: '' };
      told.push(one);
      await ahead.take(async () => {
        Object.assign(one, await reader.hash(stream, `${rec.number}${suffix}`));
      });
    }
    found.push({ names, facts: await reader.facts(attrs), told });
  }
  await ahead.end();
  // A folder may be recorded behind what lies in it, so paths come last.
  const files: FileFact[] = [];
  for (const { names, facts, told } of found)
    for (const [i, { parent, name }] of names.entries()) {
      const path = pathOf(folders, parent) + name;
      for (const { suffix, ...one } of told)
        files.push({ path: path + suffix, facts, counts: i === 0 && suffix === '', ...one });
    }
  return { files, read: reader.read, records: raw.digest(), bad, structures };
}

/** Files that are read at once: while one is hashed the next ones are read. */
const AT_ONCE = 6;

/** A few pieces of work at once, in their order. */
class Ahead {
  private readonly working: Promise<void>[] = [];

  /** Begins one more, and waits where there are too many. @throws what an earlier one threw */
  async take(work: () => Promise<void>): Promise<void> {
    const one = work();
    one.catch(() => {}); // whoever waits for it learns of it
    this.working.push(one);
    if (this.working.length >= AT_ONCE) await this.working.shift();
  }

  async end(): Promise<void> {
    for (const one of this.working.splice(0)) await one;
  }
}

interface Name {
  parent: number;
  name: string;
}
type Told = Pick<FileFact, 'size' | 'kind' | 'hash'> & { suffix: string };

const namesIn = (attrs: readonly Attr[]): Name[] =>
  attrs
    .filter(({ type }) => type === TYPE.name)
    .map(({ value }) => nameFrom(value!))
    .filter(({ space }) => space !== SHORT_NAME);

function pathOf(folders: ReadonlyMap<number, Name>, folder: number): string {
  const parts: string[] = [];
  for (let at = folder; at !== ROOT;) {
    const one = folders.get(at);
    if (!one || parts.length > MAX_DEPTH) throw new BrokenVolume('a folder’s parents lead nowhere');
    parts.push(one.name);
    at = one.parent;
  }
  return ['', ...parts.reverse(), ''].join('/');
}

class FileReader {
  readonly read: string[] = [];

  constructor(
    private readonly geo: Geometry,
    private readonly content: Content,
    private readonly options: FileOptions,
  ) {}

  /** Times and flags, and a hash of what else a file carries: links, rights, extended attributes. */
  async facts(attrs: readonly Attr[]): Promise<string> {
    const standard = attrs.find(({ type }) => type === TYPE.standard)?.value;
    const hash = this.options.newHash();
    for (const attr of attrs) {
      if (attr.type !== TYPE.reparse && attr.type !== TYPE.security && attr.type !== TYPE.attributes)
        continue;
      hash.update(Uint8Array.of(attr.type));
      hash.update(
        attr.value ??
          (await bytesOf(this.content, this.geo, attr.pieces, 0, Math.min(MAX_KEPT, attr.initialised))),
      );
    }
    const hex = (from: number, to: number) =>
      [...(standard?.subarray(from, to) ?? [])].map((byte) => byte.toString(16).padStart(2, '0')).join('');
    return `${hex(0, 8)} ${hex(8, 16)} ${hex(16, 24)} ${hex(32, 36)} ${hash.digest().slice(0, 32)}`;
  }

  async hash(stream: Attr, key: string): Promise<Pick<FileFact, 'kind' | 'hash'>> {
    const { newHash, newStreamHash, fingerprintAbove, reads, gate } = this.options;
    const { cluster } = this.geo;
    const hash = newHash();
    if (stream.value) {
      hash.update(stream.value);
      return { kind: 'bytes', hash: hash.digest() };
    }
    const end = stream.pieces.reduce((most, { lcn, count }) => Math.max(most, (lcn + count) * cluster), 0);
    if (!reads(end, key)) {
      hash.update(numbers(stream.size, stream.initialised));
      for (const { vcn, lcn, count } of joinedPieces(stream.pieces, true))
        if (lcn >= 0) hash.update(numbers(vcn, lcn, count));
      return { kind: 'placed', hash: hash.digest() };
    }
    this.read.push(key);
    const compressed = (stream.flags & COMPRESSED) !== 0;
    if (!compressed && fingerprintAbove !== null && stream.size > fingerprintAbove) {
      const view = new StreamView(this.geo, this.content, stream);
      return { kind: 'fingerprint', hash: await fingerprint(newHash, view, gate) };
    }
    // A compressed stream counts as it is stored, to its last cluster; of any other what was written, and no more than
    // its size.
    const most = compressed ? Infinity : Math.min(stream.size, stream.initialised);
    const runs = joinedPieces(stream.pieces, false).flatMap(({ vcn, lcn, count }) => {
      const length = Math.min(count * cluster, most - vcn * cluster);
      return lcn < 0 || length <= 0 ? [] : [{ offset: vcn * cluster, length }];
    });
    const whole = runs.length === 1 && runs[0]!.offset === 0 && runs[0]!.length === stream.size;
    const bytes = runs.reduce((sum, { length }) => sum + length, 0);
    const contents = newStreamHash(bytes);
    const stored = readsOf(this.content, this.stored(stream, runs));
    if (!compressed && (whole || stream.size === 0))
      return { kind: 'bytes', hash: await hashOf(contents, stored, gate) };
    // Holes are counted, not read: the places of what lies between them say where they are.
    hash.update(numbers(stream.size, stream.initialised));
    for (const { offset, length } of runs) hash.update(numbers(offset, length));
    hash.update(new TextEncoder().encode(await hashOf(contents, stored, gate)));
    return { kind: compressed ? 'stored' : 'holes', hash: hash.digest() };
  }

  /** Places of a stream's bytes on the volume, in their order, up to the last of some runs. */
  private *stored(stream: Attr, runs: readonly Stretch[]): Generator<Stretch> {
    const { cluster } = this.geo;
    const last = runs.at(-1);
    const end = last ? last.offset + last.length : 0;
    for (const { vcn, lcn, count } of joinedPieces(stream.pieces, true)) {
      const length = Math.min(count * cluster, end - vcn * cluster);
      if (lcn >= 0 && length > 0) yield { offset: lcn * cluster, length };
    }
  }
}

/**
 * Pieces that follow each other in the stream, joined; where `placed`, only those that follow each other on the volume
 * too.
 */
function joinedPieces(pieces: readonly VolumePiece[], placed: boolean): VolumePiece[] {
  const out: VolumePiece[] = [];
  for (const piece of pieces) {
    const last = out.at(-1);
    const follows =
      last !== undefined &&
      last.vcn + last.count === piece.vcn &&
      last.lcn < 0 === piece.lcn < 0 &&
      (!placed || piece.lcn < 0 || last.lcn + last.count === piece.lcn);
    if (follows) last.count += piece.count;
    else out.push({ ...piece });
  }
  return out;
}

/** A stream as content of its own: its stretches are those of its clusters. */
class StreamView implements Content {
  readonly size: number;

  constructor(
    private readonly geo: Geometry,
    private readonly content: Content,
    private readonly stream: Attr,
  ) {
    this.size = stream.size;
  }

  async read(offset: number, length: number): Promise<Uint8Array> {
    const out = new Uint8Array(length);
    const written = Math.max(0, Math.min(length, this.stream.initialised - offset));
    out.set(await bytesOf(this.content, this.geo, this.stream.pieces, offset, written));
    return out;
  }

  async stretches(offset: number, length: number): Promise<Stretch[]> {
    const { cluster } = this.geo;
    const found: Stretch[] = [];
    const end = Math.min(offset + length, this.stream.initialised);
    for (const { vcn, lcn, count } of this.stream.pieces) {
      const [from, to] = [Math.max(offset, vcn * cluster), Math.min(end, (vcn + count) * cluster)];
      if (lcn < 0 || to <= from) continue;
      const shift = (vcn - lcn) * cluster;
      // Reads whole clusters: a stream may end within a sector.
      const [first, last] = [Math.floor(from / cluster) * cluster, Math.ceil(to / cluster) * cluster];
      for (const one of await this.content.stretches(first - shift, last - first)) {
        const [a, b] = [Math.max(from, one.offset + shift), Math.min(to, one.offset + one.length + shift)];
        if (b > a) found.push({ offset: a, length: b - a });
      }
    }
    return found;
  }
}
