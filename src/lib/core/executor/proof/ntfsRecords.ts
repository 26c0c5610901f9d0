/**
 * A second reader of NTFS, for checking what the executor wrote: it shares no line with the readers and writers that
 * the executor works with, so a mistake in those does not hide here. Sources: domain facts 4.
 */

export interface VolumeBytes {
  readonly size: number;
  read(offset: number, length: number): Promise<Uint8Array>;
}

export interface Geometry {
  sector: number;
  cluster: number;
  record: number;
  sectors: number;
  clusters: number;
  mft: number;
  mirror: number;
}

export interface VolumePiece {
  vcn: number;
  /** -1: sparse. */
  lcn: number;
  count: number;
}

export interface Attr {
  type: number;
  name: string;
  flags: number;
  /** Resident value, else null. */
  value: Uint8Array | null;
  pieces: VolumePiece[];
  lowest: number;
  highest: number;
  allocated: number;
  size: number;
  initialised: number;
}

export interface Rec {
  number: number;
  sequence: number;
  used: boolean;
  folder: boolean;
  /** Number of the record that it continues, or null. */
  base: number | null;
  attrs: Attr[];
}

export const COMPRESSED = 0x0001;
export const SPARSE = 0x8000;

/** Something does not hold; `message` says what. */
export class BrokenVolume extends Error {}

const dv = (bytes: Uint8Array) => new DataView(bytes.buffer, bytes.byteOffset, bytes.length);
export const big = (view: DataView, at: number): number => {
  const value = view.getUint32(at, true) + view.getUint32(at + 4, true) * 2 ** 32;
  if (value > Number.MAX_SAFE_INTEGER) throw new BrokenVolume('a number is larger than any on a disk');
  return value;
};
/** The low 48 bits of a reference. */
export const refNumber = (view: DataView, at: number): number =>
  view.getUint32(at, true) + view.getUint16(at + 4, true) * 2 ** 32;

export function readGeometry(boot: Uint8Array, size: number): Geometry {
  const view = dv(boot);
  const text = String.fromCharCode(...boot.subarray(3, 11));
  if (text !== 'NTFS    ') throw new BrokenVolume('the boot sector does not say NTFS');
  const sector = view.getUint16(11, true);
  const raw = boot[13]!;
  const cluster = sector * (raw > 128 ? 2 ** (256 - raw) : raw);
  const signed = view.getInt8(0x40);
  const record = signed < 0 ? 2 ** -signed : signed * cluster;
  const sectors = big(view, 0x28);
  const ok = sector >= 256 && cluster >= sector && cluster <= 2 ** 21 && record >= 512 && record <= 65536;
  if (!ok || sectors === 0 || sectors * sector > size)
    throw new BrokenVolume('the boot sector holds impossible values');
  return {
    sector,
    cluster,
    record,
    sectors,
    clusters: Math.floor((sectors * sector) / cluster),
    mft: big(view, 0x30),
    mirror: big(view, 0x38),
  };
}

/** Takes the update sequence off a copy. @throws Broken where a stride does not end as it should */
export function removeFixups(raw: Uint8Array, magic: string, what: string): Uint8Array {
  if (String.fromCharCode(...raw.subarray(0, 4)) !== magic)
    throw new BrokenVolume(`${what} does not begin with ${magic}`);
  const bytes = raw.slice();
  const view = dv(bytes);
  const [at, count] = [view.getUint16(4, true), view.getUint16(6, true)];
  if (count !== raw.length / 512 + 1 || at + 2 * count > raw.length)
    throw new BrokenVolume(`${what} has a wrong update sequence`);
  for (let i = 1; i < count; i++) {
    if (bytes[i * 512 - 2] !== bytes[at] || bytes[i * 512 - 1] !== bytes[at + 1])
      throw new BrokenVolume(`${what} is torn: 512 bytes number ${i} do not carry its number`);
    bytes[i * 512 - 2] = bytes[at + 2 * i]!;
    bytes[i * 512 - 1] = bytes[at + 2 * i + 1]!;
  }
  return bytes;
}

function piecesOf(bytes: Uint8Array, lowest: number, clusters: number): VolumePiece[] {
  const pieces: VolumePiece[] = [];
  let [at, vcn, lcn] = [0, lowest, 0];
  const signed = (from: number, length: number) => {
    let value = 0;
    for (let i = length - 1; i >= 0; i--) value = value * 256 + bytes[from + i]!;
    return length > 0 && bytes[from + length - 1]! & 0x80 ? value - 2 ** (8 * length) : value;
  };
  while (at < bytes.length && bytes[at] !== 0) {
    const [forLength, forPlace] = [bytes[at]! % 16, Math.floor(bytes[at]! / 16)];
    if (forLength === 0 || forLength > 7 || forPlace > 7 || at + forLength + forPlace >= bytes.length)
      throw new BrokenVolume('a list of runs is cut short');
    const count = signed(at + 1, forLength);
    if (count <= 0) throw new BrokenVolume('a run has no length');
    if (forPlace > 0) {
      lcn += signed(at + 1 + forLength, forPlace);
      if (lcn < 0 || lcn + count > clusters) throw new BrokenVolume('a run lies outside the volume');
    }
    pieces.push({ vcn, lcn: forPlace > 0 ? lcn : -1, count });
    vcn += count;
    at += 1 + forLength + forPlace;
  }
  if (at >= bytes.length) throw new BrokenVolume('a list of runs has no end');
  return pieces;
}

/** A file record; null where the place was never used. @throws Broken */
export function recordFrom(raw: Uint8Array, number: number, clusters: number): Rec | null {
  if (raw.every((byte) => byte === 0)) return null;
  const what = `file record ${number}`;
  const bytes = removeFixups(raw, 'FILE', what);
  const view = dv(bytes);
  const flags = view.getUint16(0x16, true);
  const used = view.getUint32(0x18, true);
  const base = refNumber(view, 0x20);
  const rec: Rec = {
    number,
    sequence: view.getUint16(0x10, true),
    used: (flags & 1) === 1,
    folder: (flags & 2) === 2,
    base: base === 0 && view.getUint16(0x26, true) === 0 ? null : base,
    attrs: [],
  };
  if (!rec.used) return rec;
  if (used > bytes.length) throw new BrokenVolume(`${what} is longer than its place`);
  let at = view.getUint16(0x14, true);
  let before = 0;
  for (;;) {
    if (at + 4 > used) throw new BrokenVolume(`${what} has no end`);
    const type = view.getUint32(at, true);
    if (type === 0xffffffff) return rec;
    const length = view.getUint32(at + 4, true);
    if (length < 0x18 || length % 8 !== 0 || at + length > used)
      throw new BrokenVolume(`${what} has a broken attribute`);
    if (type < before) throw new BrokenVolume(`${what} has its attributes out of order`);
    before = type;
    try {
      rec.attrs.push(attrFrom(bytes.subarray(at, at + length), type, clusters));
    } catch (error) {
      throw error instanceof BrokenVolume ? new BrokenVolume(`${what}: ${error.message}`) : error;
    }
    at += length;
  }
}

function attrFrom(bytes: Uint8Array, type: number, clusters: number): Attr {
  const view = dv(bytes);
  const nameAt = view.getUint16(0x0a, true);
  const nameEnd = nameAt + 2 * bytes[9]!;
  if (nameEnd > bytes.length) throw new BrokenVolume('a name lies outside its attribute');
  const name = text(bytes.subarray(nameAt, nameEnd));
  const flags = view.getUint16(0x0c, true);
  const none = { pieces: [], lowest: 0, highest: 0, allocated: 0 };
  if (bytes[8] === 0) {
    const [size, at] = [view.getUint32(0x10, true), view.getUint16(0x14, true)];
    if (at + size > bytes.length) throw new BrokenVolume('a value lies outside its attribute');
    return { type, name, flags, value: bytes.slice(at, at + size), ...none, size, initialised: size };
  }
  const lowest = big(view, 0x10);
  // A stream of no clusters ends before its first.
  const highest =
    view.getUint32(0x18, true) === 0xffffffff && view.getUint32(0x1c, true) === 0xffffffff
      ? -1
      : big(view, 0x18);
  const pieces = piecesOf(bytes.subarray(view.getUint16(0x20, true)), lowest, clusters);
  const end = pieces.reduce((sum, { count }) => sum + count, lowest);
  if (end - 1 !== highest) throw new BrokenVolume('its runs do not end where it says');
  return {
    type,
    name,
    flags,
    value: null,
    pieces,
    lowest,
    highest,
    allocated: lowest === 0 ? big(view, 0x28) : 0,
    size: lowest === 0 ? big(view, 0x30) : 0,
    initialised: lowest === 0 ? big(view, 0x38) : 0,
  };
}

/** Text of UTF-16 units as they are, halves of pairs too. */
export function text(bytes: Uint8Array): string {
  let out = '';
  for (let i = 0; i + 1 < bytes.length; i += 2) out += String.fromCharCode(bytes[i]! + 256 * bytes[i + 1]!);
  return out;
}

/** Exactly so many bytes of a stream, over its pieces; sparse ones are zeros. @throws Broken where they end before */
export async function bytesOf(
  source: VolumeBytes,
  geo: Geometry,
  pieces: readonly VolumePiece[],
  from: number,
  length: number,
): Promise<Uint8Array> {
  const out = new Uint8Array(length);
  let done = 0;
  for (const { vcn, lcn, count } of pieces) {
    const [start, end] = [vcn * geo.cluster, (vcn + count) * geo.cluster];
    if (end <= from + done) continue;
    if (done === length) break;
    if (start > from + done) throw new BrokenVolume('a stream has a gap');
    const take = Math.min(end, from + length) - (from + done);
    if (lcn >= 0) out.set(await source.read(lcn * geo.cluster + from + done - start, take), done);
    done += take;
  }
  if (done < length) throw new BrokenVolume('a stream is longer than its runs');
  return out;
}

export interface NameOf {
  parent: number;
  parentSequence: number;
  name: string;
  /** 0 POSIX, 1 long, 2 short, 3 both. */
  space: number;
}

export function nameFrom(value: Uint8Array): NameOf {
  const view = dv(value);
  if (value.length < 0x42 + 2 * value[0x40]!) throw new BrokenVolume('a file name is cut short');
  return {
    parent: refNumber(view, 0),
    parentSequence: view.getUint16(6, true),
    name: text(value.subarray(0x42, 0x42 + 2 * value[0x40]!)),
    space: value[0x41]!,
  };
}

/** The volume's records, and the streams that lie across several of them. */
export class Records {
  private constructor(
    readonly source: VolumeBytes,
    readonly geo: Geometry,
    readonly mft: VolumePiece[],
    readonly count: number,
  ) {}

  /** @throws Broken */
  static async open(source: VolumeBytes): Promise<Records> {
    const geo = readGeometry(await source.read(0, 512), source.size);
    const first = recordFrom(await source.read(geo.mft * geo.cluster, geo.record), 0, geo.clusters);
    const own = first?.attrs.find(({ type, name }) => type === 0x80 && name === '');
    if (!first || !own || own.value) throw new BrokenVolume('the $MFT does not describe itself');
    let pieces = own.pieces;
    let records = new Records(source, geo, pieces, Math.floor(own.size / geo.record));
    for (const number of await records.listed(first, 0x80, '')) {
      if (number === 0) continue;
      const more =
        (await records.read(number))?.attrs.filter(({ type, name }) => type === 0x80 && name === '') ?? [];
      pieces = [...pieces, ...more.flatMap((one) => one.pieces)].sort((a, b) => a.vcn - b.vcn);
      records = new Records(source, geo, pieces, records.count);
    }
    return records;
  }

  async read(number: number): Promise<Rec | null> {
    const raw = await bytesOf(this.source, this.geo, this.mft, number * this.geo.record, this.geo.record);
    return recordFrom(raw, number, this.geo.clusters);
  }

  /**
   * Every record in order, many at a time. What is broken is handed to `broken` and left out; `seen` gets the bytes as
   * they are read.
   */
  async *all(broken: (message: string) => void, seen?: (bytes: Uint8Array) => void): AsyncGenerator<Rec> {
    const { record } = this.geo;
    const most = Math.max(1, Math.floor(2 ** 20 / record));
    for (let first = 0; first < this.count; first += most) {
      const count = Math.min(most, this.count - first);
      const bytes = await bytesOf(this.source, this.geo, this.mft, first * record, count * record);
      seen?.(bytes);
      for (let i = 0; i < count; i++) {
        try {
          const rec = recordFrom(bytes.subarray(i * record, (i + 1) * record), first + i, this.geo.clusters);
          if (rec) yield rec;
        } catch (error) {
          if (!(error instanceof BrokenVolume)) throw error;
          broken(error.message);
        }
      }
    }
  }

  /** All attributes of a base record, those in other records too; parts of one stream are joined. @throws Broken */
  async whole(base: Rec): Promise<Attr[]> {
    const list = base.attrs.find(({ type }) => type === 0x20);
    if (!list) return base.attrs;
    const all = [...base.attrs.filter((attr) => attr !== list)];
    for (const number of await this.listed(base, null, '')) {
      if (number === base.number) continue;
      const other = await this.read(number);
      if (!other?.used || other.base !== base.number)
        throw new BrokenVolume(`file record ${base.number} is continued in ${number}, which does not say so`);
      all.push(...other.attrs);
    }
    const joined = new Map<string, Attr>();
    for (const attr of all.sort((a, b) => a.lowest - b.lowest)) {
      const key = `${attr.type}/${attr.name}${attr.value ? `/${joined.size}` : ''}`;
      const first = joined.get(key);
      if (!first) joined.set(key, attr);
      else joined.set(key, { ...first, pieces: [...first.pieces, ...attr.pieces], highest: attr.highest });
    }
    return [list, ...joined.values()];
  }

  private async listed(base: Rec, type: number | null, name: string): Promise<number[]> {
    const list = base.attrs.find((attr) => attr.type === 0x20);
    if (!list) return [];
    if (list.size > 2 ** 20) throw new BrokenVolume('an attribute list is too long');
    const bytes = list.value ?? (await bytesOf(this.source, this.geo, list.pieces, 0, list.size));
    const view = dv(bytes);
    const found = new Set<number>();
    for (let at = 0; at + 0x1a <= bytes.length;) {
      const length = view.getUint16(at + 4, true);
      if (length < 0x1a) throw new BrokenVolume('an attribute list is broken');
      const same = type === null || (view.getUint32(at, true) === type && bytes[at + 6] === name.length);
      if (same) found.add(refNumber(view, at + 0x10));
      at += length;
    }
    return [...found];
  }
}
