import { latin1 } from '../../bytes';
import { type Outcome, refusal, success } from '../../problem';
import { BrokenImage, catchBroken } from '../../images/broken';
import { openVmdk } from '../../images/vmdk';
import { DeviceFailure, type Device, type OpenedDevice } from './device';
import { MappedDevice } from './mapped';
import { overlap } from './overlaps';
import { SectorTable } from './sectorTable';

const SECTOR = 512;
/** Fields of the header of a sparse file (its published specification 1.1); little-endian, in sectors. */
const FIELD = {
  flags: 8,
  capacity: 12,
  grain: 20,
  descriptorAt: 28,
  descriptorSectors: 36,
  perTable: 44,
  redundantAt: 48,
  directoryAt: 56,
} as const;
const ZERO_GRAINS = 4;
/** Tables in memory: 64 MiB of them, disks of a TiB with usual grains. */
const MAX_TABLES = 64 * 2 ** 20;
const MAX_BYTES = 2 ** 46;
/** The file grows by so many grains at once. */
const GROW_GRAINS = 64;

/**
 * The disk inside a sparse VMDK of one file, read and written. Of its two directories of tables, which say the same,
 * the one that is read counts; the other is kept up as well.
 *
 * Problem codes: those of `openVmdk`, `vmdk-kind`, `vmdk-too-large`, `vmdk-broken`.
 */
export const openVmdkDevice = (file: Device): Promise<Outcome<OpenedDevice>> =>
  catchBroken('This VMDK', 'vmdk-broken', () => open(file));

async function open(file: Device): Promise<Outcome<OpenedDevice>> {
  const readable = await openVmdk(file, () => null);
  if (!readable.ok) return readable;
  const header = await SectorTable.read(file, 0, SECTOR);
  const view = header.get();
  if (latin1(header.bytes.subarray(0, 4)) !== 'KDMV')
    return refusal('vmdk-kind', 'This VMDK only describes a disk whose bytes are in other files.');
  const grain = Number(view.getBigUint64(FIELD.grain, true)) * SECTOR;
  const perTable = view.getUint32(FIELD.perTable, true);
  const tables = Math.ceil(readable.value.size / (grain * perTable));
  if (tables * perTable * 4 > MAX_TABLES || (perTable * 4) % SECTOR !== 0)
    return refusal(
      'vmdk-too-large',
      'The tables of this VMDK are larger than is worked on here. Convert it first.',
    );
  return success(await VmdkDevice.open(file, header, readable.value.size));
}

/** The entry of a grain that holds zeros: 1 where the header allows it, else only 0 says so. */
const zeroGrainOf = (header: DataView): 0 | 1 =>
  (header.getUint32(FIELD.flags, true) & ZERO_GRAINS) === 0 ? 0 : 1;

/** A directory and the tables that it leads to, by their number. */
interface Directory {
  /** Field of the header that says where it is. */
  field: number;
  entries: SectorTable;
  tables: Map<number, SectorTable>;
}

class VmdkDevice extends MappedDevice {
  private end: number;
  private reached: number;

  private constructor(
    file: Device,
    private readonly header: SectorTable,
    size: number,
    private readonly directories: Directory[],
  ) {
    super(file, size, SECTOR, Number(header.get().getBigUint64(FIELD.grain, true)) * SECTOR);
    this.end = Math.ceil(file.size / this.unit) * this.unit;
    this.reached = file.size;
  }

  /** @throws Broken, ReadBeyondEnd where parts of it lie over each other, or beyond its end */
  static async open(file: Device, header: SectorTable, size: number): Promise<VmdkDevice> {
    const view = header.get();
    const at = (field: number) => Number(view.getBigUint64(field, true)) * SECTOR;
    const perTable = view.getUint32(FIELD.perTable, true);
    const grain = at(FIELD.grain);
    const tables = Math.ceil(size / (grain * perTable));
    const others = [
      { at: 0, length: SECTOR },
      { at: at(FIELD.descriptorAt), length: at(FIELD.descriptorSectors) },
    ];
    const directories: Directory[] = [];
    const places: number[] = [];
    for (const field of [FIELD.directoryAt, FIELD.redundantAt]) {
      // No second directory: nothing, or all bits.
      if (field === FIELD.redundantAt && (at(field) === 0 || at(field) >= file.size)) continue;
      const entries = await SectorTable.read(file, at(field), 4 * tables);
      others.push({ at: at(field), length: 4 * tables });
      const directory: Directory = { field, entries, tables: new Map() };
      for (let i = 0; i < tables; i++) {
        const place = entries.get().getUint32(4 * i, true) * SECTOR;
        if (place === 0) continue;
        others.push({ at: place, length: 4 * perTable });
        directory.tables.set(i, await SectorTable.read(file, place, 4 * perTable));
      }
      directories.push(directory);
    }
    const zeros = zeroGrainOf(view);
    for (const table of directories[0]!.tables.values())
      for (let i = 0; i < perTable; i++) {
        const sector = table.get().getUint32(4 * i, true);
        if (sector === 1 && zeros !== 1) throw new BrokenImage('a grain lies on its description');
        if (sector > 1) places.push(sector * SECTOR);
      }
    // The last grain of a file may be cut short.
    if (places.some((place) => place >= file.size)) throw new BrokenImage('a grain lies beyond its end');
    if (overlap(Float64Array.from(places), grain, others))
      throw new BrokenImage('its grains lie over each other');
    return new VmdkDevice(file, header, size, directories);
  }

  protected async placeOf(grain: number): Promise<number | null> {
    const [table, at] = this.entryAt(grain);
    const sector = this.directories[0]!.tables.get(table)?.get().getUint32(at, true) ?? 0;
    return sector === 0 || sector === zeroGrainOf(this.header.get()) ? null : sector * SECTOR;
  }

  protected async setPlace(grain: number, place: number | null): Promise<void> {
    const [number, at] = this.entryAt(grain);
    const sector = place === null ? 0 : place / SECTOR;
    if (sector > 0xffffffff)
      throw new DeviceFailure('device-full', 'A sparse VMDK can’t be made that large.');
    for (const directory of this.directories) {
      const table =
        directory.tables.get(number) ?? (place === null ? null : await this.newTable(directory, number));
      table?.change(at, 4, (view) => view.setUint32(at, sector, true));
    }
  }

  protected async newPlace(): Promise<number> {
    return this.take(this.unit);
  }

  /** Tables that nothing leads to yet are whole before a directory does. */
  protected async beforeTables(): Promise<void> {
    for (const table of this.fresh.splice(0)) await table.write();
  }

  protected async writeTables(): Promise<void> {
    for (const { tables, entries } of this.directories) {
      for (const table of tables.values()) if (table.changed) await table.write();
      await entries.write();
    }
  }

  /**
   * A cut may have left the two directories different. The second is made like the first before anything else changes:
   * else it would lead to grains that are given to others from now on.
   */
  protected async firstWrite(): Promise<void> {
    const [counts, second] = this.directories;
    if (!second) return;
    for (const [number, { bytes }] of counts!.tables) {
      const table = second.tables.get(number) ?? (await this.newTable(second, number));
      copyEntries(bytes, table);
    }
    for (const [number, table] of second.tables)
      if (!counts!.tables.has(number)) copyEntries(new Uint8Array(table.bytes.length), table);
    await this.beforeTables();
    await this.file.flush();
    await this.writeTables();
    await this.file.flush();
  }

  protected async setSize(size: number): Promise<void> {
    if (size > MAX_BYTES) throw new DeviceFailure('fixed-size', 'A sparse VMDK can’t be made that large.');
    const tables = Math.ceil(size / (this.unit * this.perTable));
    if (tables * this.perTable * 4 > MAX_TABLES)
      throw new DeviceFailure('fixed-size', 'The tables of this VMDK can’t be made that long.');
    for (const directory of this.directories)
      if (4 * tables > directory.entries.bytes.length) await this.moveDirectory(directory, tables);
    this.header.change(FIELD.capacity, 8, (view) =>
      view.setBigUint64(FIELD.capacity, BigInt(size / SECTOR), true),
    );
    await this.header.write();
    await this.file.flush();
    await this.describe(size / SECTOR);
  }

  override async close(): Promise<void> {
    await super.close();
    if (this.end < this.file.size) await this.file.resize(this.end);
    await this.file.flush();
  }

  private readonly fresh: SectorTable[] = [];

  private get perTable(): number {
    return this.header.get().getUint32(FIELD.perTable, true);
  }

  private entryAt(grain: number): [table: number, at: number] {
    return [Math.floor(grain / this.perTable), 4 * (grain % this.perTable)];
  }

  private async newTable(directory: Directory, number: number): Promise<SectorTable> {
    const length = 4 * this.perTable;
    const at = await this.take(length);
    const table = new SectorTable(this.file, at, new Uint8Array(length));
    table.change(0, length, () => {});
    directory.tables.set(number, table);
    this.fresh.push(table);
    directory.entries.change(4 * number, 4, (view) => view.setUint32(4 * number, at / SECTOR, true));
    return table;
  }

  private async moveDirectory(directory: Directory, tables: number): Promise<void> {
    const length = Math.ceil((4 * tables) / SECTOR) * SECTOR;
    const at = await this.take(length);
    const bytes = new Uint8Array(length);
    bytes.set(directory.entries.bytes);
    await this.file.write(at, bytes);
    await this.file.flush();
    directory.entries = new SectorTable(this.file, at, bytes);
    this.header.change(directory.field, 8, (view) =>
      view.setBigUint64(directory.field, BigInt(at / SECTOR), true),
    );
  }

  /** The description in the file tells the size as well. */
  private async describe(sectors: number): Promise<void> {
    const view = this.header.get();
    const at = Number(view.getBigUint64(FIELD.descriptorAt, true)) * SECTOR;
    const length = Number(view.getBigUint64(FIELD.descriptorSectors, true)) * SECTOR;
    if (at === 0 || length === 0) return;
    const old = new TextDecoder().decode(await this.file.read(at, length)).split('\0', 1)[0]!;
    const bytes = new TextEncoder().encode(resizedDescription(old, sectors));
    if (bytes.length > length) return;
    const whole = new Uint8Array(length);
    whole.set(bytes);
    await this.file.write(at, whole);
  }

  /** Room at the end of the file, on a whole grain. */
  private async take(length: number): Promise<number> {
    const place = this.end;
    this.end += Math.ceil(length / this.unit) * this.unit;
    if (this.end > this.reached) {
      this.reached = this.end + GROW_GRAINS * this.unit;
      await this.file.resize(this.reached);
      await this.file.flush();
    }
    return place;
  }
}

/** Makes the entries of a table those of another; only what differs is written. */
function copyEntries(from: Uint8Array, to: SectorTable): void {
  const entries = new DataView(from.buffer, from.byteOffset, from.length);
  for (let at = 0; at + 4 <= from.length; at += 4) {
    const sector = entries.getUint32(at, true);
    if (to.get().getUint32(at, true) !== sector) to.change(at, 4, (view) => view.setUint32(at, sector, true));
  }
}

/** A description of a disk in one piece, with another size in sectors of 512 bytes. */
export const resizedDescription = (text: string, sectors: number): string =>
  text.replace(/^(\s*(?:RW|RDONLY)\s+)\d+(\s+(?:SPARSE|FLAT|VMFS)\b)/m, `$1${sectors}$2`);
