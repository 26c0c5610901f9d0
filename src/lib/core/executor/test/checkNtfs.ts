import {
  big,
  BrokenVolume,
  bytesOf,
  nameFrom,
  Records,
  refNumber,
  SPARSE,
  removeFixups,
  COMPRESSED,
  type Attr,
  type Rec,
  type VolumeBytes,
} from '../proof/ntfsRecords';

const RECORD = { bitmap: 6, upcase: 10 } as const;
const TYPE = { standard: 0x10, name: 0x30, data: 0x80, root: 0x90, blocks: 0xa0, bitmap: 0xb0 } as const;
/** Damage is told up to here; what is behind is the same again. */
const MOST = 100;
const FIRST_FREE_FOR_USERS = 24;

/**
 * Holds an NTFS volume against itself: every run against `$Bitmap`, no cluster twice, update sequences, `$MFTMirr`,
 * both boot sectors, sizes, and every folder's index against the records that it leads to.
 *
 * @param source the partition's bytes
 * @returns what does not hold, in sentences; empty: nothing
 */
export async function checkNtfs(source: VolumeBytes): Promise<string[]> {
  const damage: string[] = [];
  const say = (message: string) => {
    if (damage.length < MOST) damage.push(message);
  };
  try {
    await new Check(source, await Records.open(source), say).run();
  } catch (error) {
    if (error instanceof BrokenVolume) say(error.message);
    else if (error instanceof Error && error.name === 'ReadBeyondEnd')
      say('a structure points outside the volume');
    else throw error;
  }
  return damage;
}

class Check {
  private readonly claimed: Uint8Array;
  private readonly inUse: Uint8Array;
  private readonly sequences: Uint16Array;
  /** For each folder the sum over the names that lead to it, less the sum over those that its index holds. */
  private readonly names = new Map<number, number>();
  private readonly folders: number[] = [];

  constructor(
    private readonly source: VolumeBytes,
    private readonly records: Records,
    private readonly say: (message: string) => void,
  ) {
    this.claimed = new Uint8Array(Math.ceil(records.geo.clusters / 8));
    this.inUse = new Uint8Array(Math.ceil(records.count / 8));
    this.sequences = new Uint16Array(records.count);
  }

  async run(): Promise<void> {
    await this.bootSectors();
    await this.mirror();
    for await (const rec of this.records.all(this.say)) {
      this.sequences[rec.number] = rec.sequence;
      if (!rec.used) continue;
      this.inUse[rec.number >> 3]! |= 1 << (rec.number & 7);
      for (const attr of rec.attrs) this.claim(rec, attr);
      if (rec.base === null) await this.base(rec);
    }
    await this.clusterMap();
    await this.recordMap();
    const upcase = await this.upcase();
    for (const folder of this.folders) await this.index(folder, upcase);
    for (const [folder, sum] of this.names)
      if (sum !== 0) this.say(`the names in folder ${folder} are not those of the records that lead to it`);
  }

  private async bootSectors(): Promise<void> {
    const { geo } = this.records;
    const at = geo.sectors * geo.sector;
    if (at + geo.sector > this.source.size) return this.say('there is no room for the backup boot sector');
    const [first, backup] = [await this.source.read(0, geo.sector), await this.source.read(at, geo.sector)];
    if (first.some((byte, i) => byte !== backup[i]))
      this.say('the backup boot sector differs from the boot sector');
  }

  private async mirror(): Promise<void> {
    const { geo, mft } = this.records;
    const count = Math.max(4, Math.floor(geo.cluster / geo.record));
    const own = await bytesOf(this.source, geo, mft, 0, count * geo.record);
    const copy = await this.source.read(geo.mirror * geo.cluster, count * geo.record);
    if (own.some((byte, i) => byte !== copy[i])) this.say('$MFTMirr differs from the records that it copies');
  }

  private claim(rec: Rec, { pieces, type, name }: Attr): void {
    for (const { lcn, count } of pieces) {
      if (lcn < 0) continue;
      for (let cluster = lcn; cluster < lcn + count; cluster++) {
        const bit = 1 << (cluster & 7);
        if (this.claimed[cluster >> 3]! & bit) {
          this.say(
            `cluster ${cluster} belongs to two, one of them record ${rec.number} (0x${type.toString(16)} ${name})`,
          );
          return;
        }
        this.claimed[cluster >> 3]! |= bit;
      }
    }
  }

  private async base(rec: Rec): Promise<void> {
    const { geo } = this.records;
    let attrs: Attr[];
    try {
      attrs = await this.records.whole(rec);
    } catch (error) {
      if (!(error instanceof BrokenVolume)) throw error;
      return this.say(error.message);
    }
    for (const attr of attrs) {
      if (attr.value) continue;
      const where = `record ${rec.number}, attribute 0x${attr.type.toString(16)} ${attr.name}`;
      const clusters = attr.pieces.reduce((sum, { count }) => sum + count, 0);
      let next = 0;
      for (const { vcn, count } of attr.pieces) {
        if (vcn !== next) this.say(`${where}: its runs leave a gap`);
        next = vcn + count;
      }
      if (attr.allocated !== clusters * geo.cluster)
        this.say(`${where}: its allocated size is not that of its runs`);
      if (attr.size > attr.allocated) this.say(`${where}: it is longer than what is allocated`);
      if (attr.initialised > attr.size) this.say(`${where}: more of it is initialised than there is`);
      const mayHaveHoles = attr.flags & (SPARSE | COMPRESSED) || (rec.number === 8 && attr.name === '$Bad');
      if (!mayHaveHoles && attr.pieces.some(({ lcn }) => lcn < 0))
        this.say(`${where}: it has a hole and does not say so`);
      if (rec.number === 8 && attr.name === '$Bad' && clusters !== geo.clusters)
        this.say('$BadClus is not as long as the volume');
    }
    if (rec.folder) this.folders.push(rec.number);
    const names = attrs.filter(({ type }) => type === TYPE.name);
    if (names.length === 0 && rec.number >= FIRST_FREE_FOR_USERS)
      this.say(`record ${rec.number} has no name`);
    for (const { value } of names) {
      if (!value) {
        this.say(`record ${rec.number} has a name that is no value`);
        continue;
      }
      const { parent, name, space } = nameFrom(value);
      this.add(parent, sumOf(rec.number, rec.sequence, name, space));
    }
  }

  private add(folder: number, value: number): void {
    this.names.set(folder, ((this.names.get(folder) ?? 0) + value) | 0);
  }

  /** Bit by bit: in use what is claimed and nothing else, and what lies beyond the volume counts as in use. */
  private async clusterMap(): Promise<void> {
    const { geo } = this.records;
    const stream = await this.stream(RECORD.bitmap, TYPE.data, '');
    if (stream.size < 8 * Math.ceil(geo.clusters / 64)) return this.say('$Bitmap is shorter than the volume');
    for (let at = 0; at < stream.size; at += 2 ** 20) {
      const bytes = await bytesOf(this.source, geo, stream.pieces, at, Math.min(2 ** 20, stream.size - at));
      for (let i = 0; i < bytes.length; i++) {
        const first = 8 * (at + i);
        const beyond = first + 8 > geo.clusters ? (0xff << Math.max(0, geo.clusters - first)) & 0xff : 0;
        const should = (this.claimed[at + i] ?? 0) | beyond;
        if (bytes[i] === should) continue;
        const bit = 31 - Math.clz32(bytes[i]! ^ should);
        const cluster = first + bit;
        const set = ((bytes[i]! >> bit) & 1) === 1;
        this.say(
          cluster >= geo.clusters
            ? `$Bitmap says that cluster ${cluster}, beyond the volume, is free`
            : set
              ? `cluster ${cluster} counts as in use and belongs to nobody`
              : `cluster ${cluster} counts as free and is in use`,
        );
      }
    }
  }

  private async recordMap(): Promise<void> {
    const stream = await this.stream(0, TYPE.bitmap, '');
    const bytes =
      stream.value ?? (await bytesOf(this.source, this.records.geo, stream.pieces, 0, stream.size));
    for (let i = 0; i < this.inUse.length; i++) {
      // Records 16 to 23 are kept back: whether they count as in use is up to the formatter.
      const mask = i === 2 ? 0 : 0xff;
      const beyond = 8 * i + 8 > this.records.count ? 0xff >> (8 * i + 8 - this.records.count) : 0xff;
      if (((bytes[i] ?? 0) ^ this.inUse[i]!) & mask & beyond)
        this.say(`the $MFT’s own map and its records ${8 * i} to ${8 * i + 7} do not agree`);
    }
  }

  private async stream(number: number, type: number, name: string): Promise<Attr> {
    const rec = await this.records.read(number);
    const attr =
      rec?.used && (await this.records.whole(rec)).find((one) => one.type === type && one.name === name);
    if (!attr) throw new BrokenVolume(`record ${number} lacks what it must have`);
    return attr;
  }

  private async upcase(): Promise<Uint16Array> {
    const stream = await this.stream(RECORD.upcase, TYPE.data, '');
    if (stream.size !== 131072) throw new BrokenVolume('$UpCase has a wrong length');
    const bytes = await bytesOf(this.source, this.records.geo, stream.pieces, 0, 131072);
    const table = new Uint16Array(65536);
    for (let i = 0; i < 65536; i++) table[i] = bytes[2 * i]! + 256 * bytes[2 * i + 1]!;
    return table;
  }

  private async index(folder: number, upcase: Uint16Array): Promise<void> {
    try {
      const rec = (await this.records.read(folder))!;
      const attrs = await this.records.whole(rec);
      const named = (type: number) => attrs.find((one) => one.type === type && one.name === '$I30');
      const root = named(TYPE.root);
      if (!root?.value) throw new BrokenVolume('it has no index');
      const view = new DataView(root.value.buffer, root.value.byteOffset);
      const size = view.getUint32(8, true);
      const walk = new IndexWalk(
        this.source,
        this.records,
        size,
        named(TYPE.blocks),
        named(TYPE.bitmap),
        upcase,
      );
      await walk.node(root.value, 0x10, 0);
      await walk.end();
      for (const { number, sequence, name, space } of walk.entries) {
        if (this.sequences[number] !== sequence || !((this.inUse[number >> 3] ?? 0) & (1 << (number & 7))))
          throw new BrokenVolume(`“${name}” leads to a record that is not in use any more`);
        this.add(folder, -sumOf(number, sequence, name, space));
      }
    } catch (error) {
      if (!(error instanceof BrokenVolume)) throw error;
      this.say(`folder ${folder}: ${error.message}`);
      this.names.delete(folder);
    }
  }
}

interface Entry {
  number: number;
  sequence: number;
  name: string;
  space: number;
}

class IndexWalk {
  readonly entries: Entry[] = [];
  private readonly seen = new Set<number>();
  private last: string | null = null;

  constructor(
    private readonly source: VolumeBytes,
    private readonly records: Records,
    private readonly blockSize: number,
    private readonly blocks: Attr | undefined,
    private readonly map: Attr | undefined,
    private readonly upcase: Uint16Array,
  ) {}

  async node(bytes: Uint8Array, header: number, depth: number): Promise<void> {
    if (depth > 20) throw new BrokenVolume('its index is deeper than any');
    const view = new DataView(bytes.buffer, bytes.byteOffset, bytes.length);
    const end = header + view.getUint32(header + 4, true);
    if (end > bytes.length) throw new BrokenVolume('its index is cut short');
    for (let at = header + view.getUint32(header, true); ;) {
      if (at + 0x10 > end) throw new BrokenVolume('its index has no end');
      const [length, flags] = [view.getUint16(at + 8, true), view.getUint16(at + 12, true)];
      if (length < 0x10 || at + length > end) throw new BrokenVolume('its index has a broken entry');
      if (flags & 1) await this.child(big(view, at + length - 8), depth);
      if (flags & 2) return;
      const value = bytes.subarray(at + 0x10, at + 0x10 + view.getUint16(at + 10, true));
      const { name, space } = nameFrom(value);
      this.ordered(name);
      this.entries.push({ number: refNumber(view, at), sequence: view.getUint16(at + 6, true), name, space });
      at += length;
    }
  }

  /** Every block that the index's own map counts as in use was met, and no other. */
  async end(): Promise<void> {
    if (!this.blocks) return;
    const unit = this.unit();
    const count = Math.floor(this.blocks.size / this.blockSize);
    const bytes =
      this.map?.value ??
      (await bytesOf(this.source, this.records.geo, this.map?.pieces ?? [], 0, this.map?.size ?? 0));
    for (let i = 0; i < count; i++) {
      const used = (((bytes[i >> 3] ?? 0) >> (i & 7)) & 1) === 1;
      if (used !== this.seen.has((i * this.blockSize) / unit))
        throw new BrokenVolume(
          `block ${i} of its index is ${used ? 'in use and never met' : 'met and counts as free'}`,
        );
    }
  }

  private unit(): number {
    const { cluster } = this.records.geo;
    return cluster <= this.blockSize ? cluster : 512;
  }

  private async child(number: number, depth: number): Promise<void> {
    if (this.seen.has(number) || !this.blocks)
      throw new BrokenVolume('its index leads to a block that is not there, or twice');
    this.seen.add(number);
    const { geo } = this.records;
    const raw = await bytesOf(this.source, geo, this.blocks.pieces, number * this.unit(), this.blockSize);
    const bytes = removeFixups(raw, 'INDX', `block ${number} of its index`);
    const view = new DataView(bytes.buffer);
    if (big(view, 0x10) !== number)
      throw new BrokenVolume(`block ${number} of its index says that it is another`);
    await this.node(bytes, 0x18, depth + 1);
  }

  private ordered(name: string): void {
    if (this.last !== null && this.order(this.last, name) > 0)
      throw new BrokenVolume(`“${name}” stands out of order`);
    this.last = name;
  }

  private order(a: string, b: string): number {
    for (let i = 0; i < Math.min(a.length, b.length); i++) {
      const difference = this.upcase[a.charCodeAt(i)]! - this.upcase[b.charCodeAt(i)]!;
      if (difference !== 0) return difference;
    }
    return a.length - b.length;
  }
}

/** A 32-bit figure of a name in a folder: sums of them are the same only where the names are. */
function sumOf(number: number, sequence: number, name: string, space: number): number {
  let hash = Math.imul(number ^ Math.imul(sequence, 0x9e3779b1), 0x85ebca6b) ^ space;
  for (let i = 0; i < name.length; i++) hash = Math.imul(hash ^ name.charCodeAt(i), 0x01000193);
  hash ^= hash >>> 15;
  return Math.imul(hash, 0xc2b2ae35) | 0;
}
