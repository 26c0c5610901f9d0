import {
  Broken,
  bytesOf,
  COMPRESSED,
  nameFrom,
  Records,
  type Attr,
  type Geometry,
  type Rec,
} from '../check/parse';
import { fingerprint, sha256, type Content, type NewHash, type Read } from './content';

const TYPE = {
  standard: 0x10,
  list: 0x20,
  name: 0x30,
  security: 0x50,
  data: 0x80,
  reparse: 0xc0,
  attributes: 0xe0,
} as const;
const ROOT = 5;
/** Records below are the file system's own. */
const FIRST_OF_USERS = 24;
const SHORT_NAME = 2;
const MOST_DEPTH = 1024;
const MOST_KEPT = 1024 * 1024;
const PIECE = 4 * 2 ** 20;

/** What is known of a file or folder, in a form in which two are the same only where all of it is. */
export interface FileFact {
  /** From the root, folders apart by `/`; an alternate stream has its name behind a colon. A folder ends with `/`. */
  path: string;
  /** Bytes. */
  size: number;
  /** `sha256`: of all bytes; `fingerprint`: of what is not empty; `stored`: of a compressed stream as it is stored. */
  kind: 'sha256' | 'fingerprint' | 'stored' | 'folder';
  hash: string;
  /** It stands for a file of its own: no folder, no stream beside another, no further name of one. */
  counts: boolean;
  /** Created, changed, and changed as a record, in the format's own units, and the flags; then what else hangs on it, hashed. */
  facts: string;
}

export interface FileOptions {
  newHash: NewHash;
  /** Streams longer than this get a fingerprint; null: none does. Bytes. */
  fingerprintAbove: number | null;
  /** Called between pieces; stops by throwing. */
  gate: (bytes: number) => Promise<void>;
}

/**
 * Every file of an NTFS volume, under each of its names. The file system's own records are left out: growing changes them.
 *
 * @throws Broken where the volume can't be read
 */
export async function* ntfsFiles(content: Content, options: FileOptions): AsyncGenerator<FileFact> {
  const records = await Records.open(content);
  const broken = (message: string): never => {
    throw new Broken(message);
  };
  const folders = new Map<number, { parent: number; name: string }>();
  for await (const rec of records.all(broken)) {
    if (!rec.used || !rec.folder || rec.base !== null) continue;
    const name = (await namesOf(records, rec))[0];
    if (name) folders.set(rec.number, name);
  }
  const reader = new FileReader(records.geo, content, options);
  for await (const rec of records.all(broken)) {
    if (!rec.used || rec.base !== null || rec.number < FIRST_OF_USERS) continue;
    const attrs = await records.whole(rec);
    const names = namesIn(attrs);
    if (names.length === 0) continue;
    const facts = await reader.facts(attrs);
    const streams = attrs.filter(({ type }) => type === TYPE.data);
    const told: { suffix: string; size: number; kind: FileFact['kind']; hash: string }[] = [];
    if (rec.folder) told.push({ suffix: '/', size: 0, kind: 'folder', hash: '' });
    for (const stream of streams) {
      const suffix = stream.name === '' ? '' : `:${stream.name}`;
      told.push({ suffix, size: stream.size, ...(await reader.hash(stream)) });
    }
    for (const [i, { parent, name }] of names.entries()) {
      const path = pathOf(folders, parent) + name;
      for (const { suffix, ...one } of told) {
        const counts = i === 0 && suffix === '';
        yield { path: path + suffix, facts, counts, ...one };
      }
    }
  }
}

async function namesOf(records: Records, rec: Rec): Promise<{ parent: number; name: string }[]> {
  return namesIn(await records.whole(rec));
}

const namesIn = (attrs: readonly Attr[]): { parent: number; name: string }[] =>
  attrs
    .filter(({ type }) => type === TYPE.name)
    .map(({ value }) => nameFrom(value!))
    .filter(({ space }) => space !== SHORT_NAME);

function pathOf(folders: ReadonlyMap<number, { parent: number; name: string }>, folder: number): string {
  const parts: string[] = [];
  for (let at = folder; at !== ROOT;) {
    const one = folders.get(at);
    if (!one || parts.length > MOST_DEPTH) throw new Broken('a folder’s parents lead nowhere');
    parts.push(one.name);
    at = one.parent;
  }
  return ['', ...parts.reverse(), ''].join('/');
}

class FileReader {
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
      hash.update(attr.value ?? (await this.range(attr, 0, Math.min(MOST_KEPT, attr.size))));
    }
    const hex = (from: number, to: number) =>
      [...(standard?.subarray(from, to) ?? [])].map((byte) => byte.toString(16).padStart(2, '0')).join('');
    return `${hex(0, 8)} ${hex(8, 16)} ${hex(16, 24)} ${hex(32, 36)} ${hash.digest().slice(0, 32)}`;
  }

  async hash(stream: Attr): Promise<{ kind: FileFact['kind']; hash: string }> {
    const { newHash, fingerprintAbove, gate } = this.options;
    if (stream.value) {
      const hash = newHash();
      hash.update(stream.value);
      return { kind: 'sha256', hash: hash.digest() };
    }
    if (stream.flags & COMPRESSED)
      return { kind: 'stored', hash: await sha256(newHash, this.stored(stream), gate) };
    if (fingerprintAbove !== null && stream.size > fingerprintAbove) {
      const view = new StreamView(this.geo, this.content, stream);
      return { kind: 'fingerprint', hash: await fingerprint(newHash, view, 0, stream.size, gate) };
    }
    return { kind: 'sha256', hash: await sha256(newHash, this.pieces(stream), gate) };
  }

  private *pieces(stream: Attr): Generator<Read> {
    for (let at = 0; at < stream.size; at += PIECE)
      yield () => this.range(stream, at, Math.min(PIECE, stream.size - at));
  }

  /** What was never written reads as zeros, whatever its clusters hold. */
  private async range(stream: Attr, at: number, length: number): Promise<Uint8Array> {
    const written = Math.max(0, Math.min(length, stream.initialised - at));
    const bytes = await bytesOf(this.content, this.geo, stream.pieces, at, written);
    if (written === length) return bytes;
    const out = new Uint8Array(length);
    out.set(bytes);
    return out;
  }

  /** The clusters of a compressed stream in their order, each run with its place in the stream. */
  private *stored(stream: Attr): Generator<Read> {
    const { cluster } = this.geo;
    for (const { vcn, lcn, count } of stream.pieces) {
      const mark = new DataView(new ArrayBuffer(16));
      mark.setBigUint64(0, BigInt(vcn), true);
      mark.setBigUint64(8, BigInt(lcn < 0 ? 0 : count), true);
      yield async () => new Uint8Array(mark.buffer);
      if (lcn < 0) continue;
      for (let at = 0; at < count * cluster; at += PIECE)
        yield () => this.content.read(lcn * cluster + at, Math.min(PIECE, count * cluster - at));
    }
  }
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

  async stretches(offset: number, length: number): Promise<{ offset: number; length: number }[]> {
    const { cluster } = this.geo;
    const found: { offset: number; length: number }[] = [];
    const end = Math.min(offset + length, this.stream.initialised);
    for (const { vcn, lcn, count } of this.stream.pieces) {
      const [from, to] = [Math.max(offset, vcn * cluster), Math.min(end, (vcn + count) * cluster)];
      if (lcn < 0 || to <= from) continue;
      const shift = (vcn - lcn) * cluster;
      // Asked in whole clusters: a stream may end within a sector.
      const [first, last] = [Math.floor(from / cluster) * cluster, Math.ceil(to / cluster) * cluster];
      for (const one of await this.content.stretches(first - shift, last - first)) {
        const [a, b] = [Math.max(from, one.offset + shift), Math.min(to, one.offset + one.length + shift)];
        if (b > a) found.push({ offset: a, length: b - a });
      }
    }
    return found;
  }
}
