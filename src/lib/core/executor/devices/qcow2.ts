import { inflateSync } from 'fflate';
import { type Outcome, refusal, success } from '../../problem';
import { BrokenImage, catchBroken } from '../../images/broken';
import { openQcow2 } from '../../images/qcow2';
import { DeviceFailure, type Device, type OpenedDevice } from './device';
import { MappedDevice } from './mapped';
import { overlap } from './overlaps';
import { SectorTable } from './sectorTable';

/** Fields of the header (QEMU's own description, docs/interop/qcow2.txt); big-endian. */
const FIELD = {
  version: 4,
  clusterBits: 20,
  size: 24,
  l1Entries: 36,
  l1At: 40,
  countsAt: 48,
  countsClusters: 56,
  features: 72,
  autoclear: 88,
  countOrder: 96,
} as const;
const DIRTY = 1n;
const OFFSET = 0x00fffffffffffe00n;
const COPIED = 1n << 63n;
const COMPRESSED = 1n << 62n;
const ZEROS = 1n;
/** Counts are kept in 16 bits each unless a version 3 says otherwise. */
const COUNT_ORDER = 4;
const COUNT_BYTES = 2;
/** Second tables in memory: 128 MiB of them, disks of a TiB with usual clusters. */
const MAX_TABLES = 128 * 2 ** 20;
/** Counts in memory, and the table that leads to them. */
const MAX_COUNTS = 64 * 2 ** 20;
const MAX_BYTES = 2 ** 46;
/** The file grows by so many clusters at once. */
const GROW_CLUSTERS = 64;

/**
 * The disk inside a qcow2 file, read and written: version 2 or 3, without backing file, encryption or snapshots. A
 * cluster is counted as in use before a table leads to it, so that a cut leaves at most a cluster that nobody has.
 *
 * Problem codes: those of `openQcow2`, `qcow2-dirty`, `qcow2-feature`, `qcow2-too-large`, `qcow2-broken`.
 */
export const openQcow2Device = (file: Device): Promise<Outcome<OpenedDevice>> =>
  catchBroken('This qcow2 image', 'qcow2-broken', () => open(file));

async function open(file: Device): Promise<Outcome<OpenedDevice>> {
  const readable = await openQcow2(file);
  if (!readable.ok) return readable;
  const header = await SectorTable.read(file, 0, 512);
  const view = header.get();
  const version = view.getUint32(FIELD.version);
  if (version === 3 && (view.getBigUint64(FIELD.features) & DIRTY) !== 0n)
    return refusal(
      'qcow2-dirty',
      'This qcow2 image was not closed in good order. Let its own program check it first.',
    );
  if (version === 3 && view.getUint32(FIELD.countOrder) !== COUNT_ORDER)
    return refusal(
      'qcow2-feature',
      'This qcow2 image counts its clusters with other than 16 bits, which is not written here. Make a plain copy of it first.',
    );
  const clusterSize = 2 ** view.getUint32(FIELD.clusterBits);
  const tables = Math.ceil(Math.ceil(readable.value.size / clusterSize) / (clusterSize / 8));
  if (tables * clusterSize > MAX_TABLES)
    return refusal(
      'qcow2-too-large',
      'The tables of this qcow2 image are larger than is worked on here. Convert it to larger clusters first.',
    );
  if (clusterSize < file.sectorSize)
    return refusal('qcow2-feature', 'The clusters of this qcow2 image are smaller than is written here.');
  return success(await Qcow2Device.open(file, header, readable.value.size, clusterSize));
}

class Qcow2Device extends MappedDevice {
  /** Second tables by their number; one that is new is not written yet. */
  private readonly tables = new Map<number, SectorTable>();
  private counts!: Counts;
  private l1!: SectorTable;
  private l1Entries: number;

  private constructor(
    file: Device,
    private readonly header: SectorTable,
    size: number,
    private readonly clusterSize: number,
  ) {
    super(file, size, 512, clusterSize);
    this.l1Entries = header.get().getUint32(FIELD.l1Entries);
  }

  /**
   * @throws Broken, ReadBeyondEnd where parts of it lie over each other, or beyond its end, or are more than any image
   *   has
   */
  static async open(
    file: Device,
    header: SectorTable,
    size: number,
    clusterSize: number,
  ): Promise<Qcow2Device> {
    const device = new Qcow2Device(file, header, size, clusterSize);
    const view = header.get();
    const l1At = Number(view.getBigUint64(FIELD.l1At));
    device.l1 = await SectorTable.read(file, l1At, 8 * device.l1Entries);
    device.counts = await Counts.open(file, header, clusterSize);
    const places: number[] = [];
    for (let table = 0; table < device.l1Entries; table++) {
      const at = device.l1Entry(table);
      if (at === 0) continue;
      if (at % clusterSize !== 0) throw new BrokenImage('one of its tables has no place');
      // Tables beyond the end of the disk are none of an image that was made in good faith.
      if (device.tables.size * clusterSize >= MAX_TABLES)
        throw new BrokenImage('it has more tables than its disk needs');
      places.push(at);
      const held = await SectorTable.read(file, at, clusterSize);
      device.tables.set(table, held);
      for (let i = 0; i < clusterSize / 8; i++) {
        const entry = held.get().getBigUint64(8 * i);
        const place = (entry & COMPRESSED) !== 0n ? 0 : Number(entry & OFFSET);
        // The last cluster of a file may be cut short where nothing was written into it.
        if (place % clusterSize !== 0 || place >= file.size + clusterSize)
          throw new BrokenImage('one of its clusters has no place');
        if (place > 0) places.push(place);
      }
    }
    const own = [
      { at: 0, length: clusterSize },
      { at: l1At, length: 8 * device.l1Entries },
      ...device.counts.places,
    ];
    if (overlap(Float64Array.from(places), clusterSize, own))
      throw new BrokenImage('its clusters lie over each other');
    return device;
  }

  protected async placeOf(cluster: number): Promise<number | null> {
    const entry = this.entryOf(cluster);
    if ((entry & COMPRESSED) !== 0n || (entry & ZEROS) !== 0n) return null;
    return Number(entry & OFFSET) || null;
  }

  protected override async packed(cluster: number): Promise<Uint8Array | null> {
    const entry = this.entryOf(cluster);
    if ((entry & COMPRESSED) === 0n) return null;
    const { at, length } = this.packedPlace(entry);
    const first = Math.floor(at / 512) * 512;
    const end = Math.min(this.file.size, Math.ceil((at + length) / 512) * 512);
    const bytes = (await this.file.read(first, end - first)).subarray(at - first);
    return inflateSync(bytes, { out: new Uint8Array(this.clusterSize) });
  }

  protected async setPlace(cluster: number, place: number | null): Promise<void> {
    const perTable = this.clusterSize / 8;
    const number = Math.floor(cluster / perTable);
    const table = this.tables.get(number) ?? (place === null ? null : await this.newTable(number));
    if (!table) return;
    const at = 8 * (cluster % perTable);
    const old = table.get().getBigUint64(at);
    if ((old & COMPRESSED) !== 0n) this.releasePacked(old);
    // A cluster of zeros may keep a place of its own; it is given back with the entry.
    else if ((old & ZEROS) !== 0n && (old & OFFSET) !== 0n) this.given.push(Number(old & OFFSET));
    const entry = place === null ? 0n : BigInt(place) | COPIED;
    table.change(at, 8, (view) => view.setBigUint64(at, entry));
  }

  protected newPlace(): Promise<number> {
    return this.counts.take();
  }

  /** A cluster that nothing leads to is counted as free; others come at the end of the file. */
  protected override released(place: number): boolean {
    this.counts.change(place, -1);
    return false;
  }

  protected async beforeTables(): Promise<void> {
    await this.counts.write();
    // Tables that nothing leads to yet are whole before the first one does.
    for (const number of this.fresh) await this.tables.get(number)!.write();
    this.fresh.clear();
  }

  protected async writeTables(): Promise<void> {
    for (const table of this.tables.values()) if (table.changed) await table.write();
    await this.l1.write();
  }

  protected override async afterTables(): Promise<void> {
    for (const place of this.given.splice(0)) this.counts.change(place, -1);
    await this.counts.write();
  }

  /** Extensions that nobody keeps up any more are marked as such (version 3, autoclear). */
  protected async firstWrite(): Promise<void> {
    const view = this.header.get();
    if (view.getUint32(FIELD.version) !== 3 || view.getBigUint64(FIELD.autoclear) === 0n) return;
    this.header.change(FIELD.autoclear, 8, (one) => one.setBigUint64(FIELD.autoclear, 0n));
    await this.header.write();
    await this.file.flush();
  }

  protected async setSize(size: number): Promise<void> {
    if (size > MAX_BYTES)
      throw new DeviceFailure('fixed-size', 'A qcow2 image can’t be made that large here.');
    const perTable = this.clusterSize / 8;
    const entries = Math.ceil(Math.ceil(size / this.clusterSize) / perTable);
    if (entries * this.clusterSize > MAX_TABLES)
      throw new DeviceFailure('fixed-size', 'The tables of this qcow2 image can’t be made that long.');
    if (entries > this.l1Entries) await this.moveL1(entries);
    this.header.change(FIELD.size, 8, (view) => view.setBigUint64(FIELD.size, BigInt(size)));
    await this.header.write();
  }

  override async close(): Promise<void> {
    await super.close();
    await this.counts.trim();
  }

  private readonly fresh = new Set<number>();
  /** Places that tables led to which were not kept as free ones. */
  private readonly given: number[] = [];

  private l1Entry(table: number): number {
    return Number(this.l1.get().getBigUint64(8 * table) & OFFSET);
  }

  private entryOf(cluster: number): bigint {
    const perTable = this.clusterSize / 8;
    const table = this.tables.get(Math.floor(cluster / perTable));
    return table ? table.get().getBigUint64(8 * (cluster % perTable)) : 0n;
  }

  private async newTable(number: number): Promise<SectorTable> {
    const at = await this.counts.take();
    const table = new SectorTable(this.file, at, new Uint8Array(this.clusterSize));
    // All of it is written: its place may have held something.
    table.change(0, this.clusterSize, () => {});
    this.tables.set(number, table);
    this.fresh.add(number);
    this.l1.change(8 * number, 8, (view) => view.setBigUint64(8 * number, BigInt(at) | COPIED));
    return table;
  }

  private packedPlace(entry: bigint): { at: number; length: number } {
    const bits = BigInt(62 - (Math.log2(this.clusterSize) - 8));
    const at = Number(entry & ((1n << bits) - 1n));
    const sectors = Number((entry & (COMPRESSED - 1n)) >> bits) + 1;
    return { at, length: sectors * 512 - (at % 512) };
  }

  /** A packed cluster is counted in each cluster of the file that it touches. */
  private releasePacked(entry: bigint): void {
    const { at, length } = this.packedPlace(entry);
    const first = Math.floor(at / this.clusterSize);
    const last = Math.floor((at + length - 1) / this.clusterSize);
    for (let cluster = first; cluster <= last; cluster++) this.given.push(cluster * this.clusterSize);
  }

  /** A longer first table goes to new clusters; one sector of the header leads to it. */
  private async moveL1(entries: number): Promise<void> {
    const clusters = Math.ceil((8 * entries) / this.clusterSize);
    const at = await this.counts.takeRun(clusters);
    const bytes = new Uint8Array(clusters * this.clusterSize);
    bytes.set(this.l1.bytes.subarray(0, 8 * this.l1Entries));
    await this.file.write(at, bytes);
    await this.counts.write();
    await this.file.flush();
    const old = { at: Number(this.header.get().getBigUint64(FIELD.l1At)), entries: this.l1Entries };
    this.header.change(FIELD.l1Entries, 12, (view) => {
      view.setUint32(FIELD.l1Entries, entries);
      view.setBigUint64(FIELD.l1At, BigInt(at));
    });
    await this.header.write();
    await this.file.flush();
    this.l1 = new SectorTable(this.file, at, bytes);
    this.l1Entries = entries;
    for (let place = old.at; place < old.at + Math.max(1, 8 * old.entries); place += this.clusterSize)
      this.counts.change(place, -1);
    await this.counts.write();
  }
}

/** Counts of each cluster's uses in the file: a table of blocks of counts. */
class Counts {
  private readonly blocks = new Map<number, SectorTable>();
  private next: number;
  private reached: number;

  private constructor(
    private readonly file: Device,
    private readonly header: SectorTable,
    private table: SectorTable,
    private at: number,
    private readonly clusterSize: number,
  ) {
    this.next = Math.ceil(file.size / clusterSize);
    this.reached = file.size;
  }

  static async open(file: Device, header: SectorTable, clusterSize: number): Promise<Counts> {
    const view = header.get();
    const at = Number(view.getBigUint64(FIELD.countsAt));
    const length = view.getUint32(FIELD.countsClusters) * clusterSize;
    if (at % clusterSize !== 0 || length > MAX_COUNTS)
      throw new BrokenImage('its table of counts is impossible');
    const counts = new Counts(file, header, await SectorTable.read(file, at, length), at, clusterSize);
    for (let block = 0; block < length / 8; block++) {
      const place = Number(counts.table.get().getBigUint64(8 * block) & OFFSET);
      if (place === 0) continue;
      if (place % clusterSize !== 0) throw new BrokenImage('one of its blocks of counts has no place');
      if (counts.blocks.size * clusterSize >= MAX_COUNTS)
        throw new BrokenImage('it has more counts than any image');
      counts.blocks.set(block, await SectorTable.read(file, place, clusterSize));
    }
    return counts;
  }

  get places(): { at: number; length: number }[] {
    const out = [{ at: this.at, length: this.table.bytes.length }];
    for (const block of this.blocks.keys())
      out.push({
        at: Number(this.table.get().getBigUint64(8 * block) & OFFSET),
        length: this.clusterSize,
      });
    return out;
  }

  /** A cluster at the end of the file, counted as in use. */
  async take(): Promise<number> {
    return this.takeRun(1);
  }

  async takeRun(clusters: number): Promise<number> {
    await this.cover(clusters);
    const place = this.next * this.clusterSize;
    for (let i = 0; i < clusters; i++) this.change(place + i * this.clusterSize, 1);
    this.next += clusters;
    await this.reach(this.next * this.clusterSize);
    return place;
  }

  change(place: number, by: number): void {
    const cluster = Math.floor(place / this.clusterSize);
    const block = this.blocks.get(Math.floor(cluster / this.perBlock));
    if (!block) return;
    const at = COUNT_BYTES * (cluster % this.perBlock);
    block.change(at, COUNT_BYTES, (view) => view.setUint16(at, Math.max(0, view.getUint16(at) + by)));
  }

  /** Blocks before the table that leads to them. */
  async write(): Promise<void> {
    for (const block of this.blocks.values()) if (block.changed) await block.write();
    if (!this.table.changed) return;
    await this.file.flush();
    await this.table.write();
  }

  /** Space that was set apart for clusters that never came is given back. */
  async trim(): Promise<void> {
    await this.write();
    await this.file.flush();
    const end = this.next * this.clusterSize;
    if (end < this.file.size) await this.file.resize(end);
    await this.file.flush();
  }

  private get perBlock(): number {
    return this.clusterSize / COUNT_BYTES;
  }

  /** The clusters that come next have blocks that count them; a block counts itself. */
  private async cover(clusters: number): Promise<void> {
    for (;;) {
      const missing = this.firstMissing(this.next + clusters);
      if (missing === null) return;
      if (8 * missing >= this.table.bytes.length) {
        await this.moveTable(missing + 1);
        continue;
      }
      const place = this.next++ * this.clusterSize;
      await this.reach(place + this.clusterSize);
      const block = new SectorTable(this.file, place, new Uint8Array(this.clusterSize));
      block.change(0, this.clusterSize, () => {});
      this.blocks.set(missing, block);
      this.table.change(8 * missing, 8, (view) => view.setBigUint64(8 * missing, BigInt(place)));
      this.waiting.push(place);
      this.settle();
    }
  }

  /** Places of blocks and tables whose own counter may still be missing. */
  private waiting: number[] = [];

  private settle(): void {
    this.waiting = this.waiting.filter((place) => {
      const block = Math.floor(place / this.clusterSize / this.perBlock);
      if (!this.blocks.has(block)) return true;
      this.change(place, 1);
      return false;
    });
  }

  private firstMissing(end: number): number | null {
    for (const place of this.waiting) {
      const block = Math.floor(place / this.clusterSize / this.perBlock);
      if (!this.blocks.has(block)) return block;
    }
    for (let block = Math.floor(this.next / this.perBlock); block * this.perBlock < end; block++)
      if (!this.blocks.has(block)) return block;
    return null;
  }

  /** A longer table of blocks; the header leads to it in one sector. */
  private async moveTable(entries: number): Promise<void> {
    const clusters = Math.ceil((8 * entries * 2) / this.clusterSize);
    const at = this.next * this.clusterSize;
    this.next += clusters;
    await this.reach(this.next * this.clusterSize);
    const bytes = new Uint8Array(clusters * this.clusterSize);
    bytes.set(this.table.bytes);
    const old = { at: this.at, length: this.table.bytes.length };
    await this.write();
    await this.file.write(at, bytes);
    await this.file.flush();
    this.header.change(FIELD.countsAt, 12, (view) => {
      view.setBigUint64(FIELD.countsAt, BigInt(at));
      view.setUint32(FIELD.countsClusters, clusters);
    });
    await this.header.write();
    await this.file.flush();
    this.table = new SectorTable(this.file, at, bytes);
    this.at = at;
    for (let i = 0; i < clusters; i++) this.waiting.push(at + i * this.clusterSize);
    this.settle();
    for (let place = old.at; place < old.at + old.length; place += this.clusterSize) this.change(place, -1);
  }

  /** Clusters beyond the end of a file lead nowhere: it has its length before a table leads there. */
  private async reach(end: number): Promise<void> {
    if (end <= this.reached) return;
    this.reached = end + GROW_CLUSTERS * this.clusterSize;
    await this.file.resize(this.reached);
    await this.file.flush();
  }
}
