import CRC32C from 'crc-32/crc32c.js';
import { latin1 } from '../../bytes';
import { failure, success, type Outcome } from '../../problem';
import { guidToBytes } from '../../tables/guid';
import { BrokenImage, catchBroken } from '../../images/broken';
import { openVhdx, soundRegionTable, readVhdxParts, type VhdxParts } from '../../images/vhdx';
import { DeviceFailure, type Device, type OpenedDevice } from './device';
import { MappedDevice } from './mapped';
import { overlap } from './overlaps';
import { SectorTable } from './sectorTable';

const KIB = 1024;
const MIB = 1024 * KIB;
const HEADERS = [64 * KIB, 128 * KIB] as const;
const REGION_TABLES = [192 * KIB, 256 * KIB] as const;
const REGION_BYTES = 64 * KIB;
const HEADER_BYTES = 4 * KIB;
/** Block tables up to here are worked with: disks of 8 TiB with blocks of 1 MiB, far more with usual ones. */
const MAX_TABLE = 64 * MIB;
const MAX_DISK = 64 * 2 ** 40;
const PRESENT = 6n;
/** The file grows by so much at once. */
const GROW = 32 * MIB;

/**
 * The disk inside a VHDX, read and written (MS-VHDX). The log is left empty: an entry of the block table is eight bytes
 * in one sector, so it is changed whole or not at all, and only once what it leads to is safe.
 *
 * Problem codes: those of `openVhdx`, `vhdx-too-large`.
 * @param newGuid two of them say that the file, and what is on its disk, is another than before
 */
export const openVhdxDevice = (file: Device, newGuid: () => string): Promise<Outcome<OpenedDevice>> =>
  catchBroken('This VHDX', 'vhdx-broken', () => open(file, newGuid));

async function open(file: Device, newGuid: () => string): Promise<Outcome<OpenedDevice>> {
  const readable = await openVhdx(file);
  if (!readable.ok) return readable;
  const parts = await readVhdxParts(file);
  if (parts.table.length > MAX_TABLE)
    return failure({
      code: 'vhdx-too-large',
      path: '',
      message:
        'The block table of this VHDX is larger than is worked on here. Convert it to larger blocks first.',
    });
  const table = await SectorTable.read(file, parts.table.offset, parts.table.length);
  if (parts.table.offset % MIB !== 0 || parts.sizeAt % 8 !== 0)
    throw new BrokenImage('its parts have no place');
  if (liesOver(file, parts, table.get()))
    throw new BrokenImage('its blocks lie over each other, over its other parts, or beyond its end');
  return success(new VhdxDevice(file, parts, table, newGuid));
}

function liesOver(file: Device, { size, blockSize, perChunk, taken }: VhdxParts, entries: DataView): boolean {
  const count = Math.ceil(size / blockSize);
  const places: number[] = [];
  for (let block = 0; block < count; block++) {
    const entry = entries.getBigUint64(8 * (block + Math.floor(block / perChunk)), true);
    if ((entry & 7n) === PRESENT) places.push(Number(entry >> 20n) * MIB);
  }
  if (places.some((place) => place + blockSize > file.size)) return true;
  return overlap(Float64Array.from(places), blockSize, taken);
}

class VhdxDevice extends MappedDevice {
  readonly serial: string;
  private end: number;

  constructor(
    file: Device,
    private readonly parts: VhdxParts,
    private table: SectorTable,
    private readonly newGuid: () => string,
  ) {
    super(file, parts.size, parts.sectorSize, parts.blockSize);
    this.serial = parts.diskId;
    this.end = Math.ceil(file.size / MIB) * MIB;
  }

  protected async placeOf(block: number): Promise<number | null> {
    const entry = this.table.get().getBigUint64(this.entryAt(block), true);
    return (entry & 7n) === PRESENT ? Number(entry >> 20n) * MIB : null;
  }

  protected async setPlace(block: number, place: number | null): Promise<void> {
    const at = this.entryAt(block);
    const entry = place === null ? 0n : (BigInt(place / MIB) << 20n) | PRESENT;
    this.table.change(at, 8, (view) => view.setBigUint64(at, entry, true));
  }

  protected async newPlace(): Promise<number> {
    const place = this.end;
    this.end += this.unit;
    // Blocks beyond the end of a file lead nowhere: it has its length before a table leads there.
    if (this.end > this.file.size) {
      await this.file.resize(Math.max(this.end, this.file.size + GROW));
      await this.file.flush();
    }
    return place;
  }

  protected beforeTables(): Promise<void> {
    return Promise.resolve();
  }

  protected writeTables(): Promise<void> {
    return this.table.write();
  }

  /** Both headers get new GUIDs, the one that does not count first (MS-VHDX 2.2.2.1). */
  protected async firstWrite(): Promise<void> {
    const [file, data] = [this.newGuid(), this.newGuid()];
    for (let turn = 0; turn < 2; turn++) await this.writeHeader(file, data);
  }

  protected async setSize(size: number): Promise<void> {
    if (size > MAX_DISK) throw new DeviceFailure('fixed-size', 'A VHDX can’t be made that large.');
    const { parts } = this;
    const entries = entriesFor(size, this.unit, parts.perChunk);
    if (entries * 8 > this.table.bytes.length) await this.moveTable(entries);
    const at = Math.floor(parts.sizeAt / this.file.sectorSize) * this.file.sectorSize;
    const sector = (await this.file.read(at, this.file.sectorSize)).slice();
    new DataView(sector.buffer).setBigUint64(parts.sizeAt - at, BigInt(size), true);
    await this.file.write(at, sector);
  }

  override async close(): Promise<void> {
    await super.close();
    if (this.end < this.file.size) {
      await this.file.resize(this.end);
      await this.file.flush();
    }
  }

  /** A sector bitmap's entry stands after every chunk of blocks. */
  private entryAt(block: number): number {
    return 8 * (block + Math.floor(block / this.parts.perChunk));
  }

  /** A larger block table goes behind everything; then both region tables name it, one after the other. */
  private async moveTable(entries: number): Promise<void> {
    const length = Math.ceil((8 * entries) / MIB) * MIB;
    if (length > MAX_TABLE)
      throw new DeviceFailure('fixed-size', 'The block table of this VHDX can’t be made that long.');
    const offset = this.end;
    const bytes = new Uint8Array(length);
    bytes.set(this.table.bytes);
    await this.file.resize(Math.max(this.file.size, offset + length));
    this.end = offset + length;
    await this.file.write(offset, bytes);
    await this.file.flush();
    // Of two copies one may be damaged: both get what the sound one says.
    const region = (await soundRegionTable(this.file)).slice();
    const view = new DataView(region.buffer);
    for (let i = 0; i < view.getUint32(8, true); i++) {
      const entry = 16 + 32 * i;
      if (Number(view.getBigUint64(entry + 16, true)) !== this.parts.table.offset) continue;
      view.setBigUint64(entry + 16, BigInt(offset), true);
      view.setUint32(entry + 24, length, true);
    }
    sum(region);
    // The damaged one first, so that a sound one is there at every instant.
    const first = await this.file.read(REGION_TABLES[0], REGION_BYTES);
    const order = isSound(first, 'regi') ? [...REGION_TABLES].reverse() : REGION_TABLES;
    for (const at of order) {
      await this.file.write(at, region);
      await this.file.flush();
    }
    this.parts.table = { offset, length };
    this.table = new SectorTable(this.file, offset, bytes);
  }

  private async writeHeader(fileGuid: string, dataGuid: string): Promise<void> {
    const both = await Promise.all(
      HEADERS.map(async (at) => (await this.file.read(at, HEADER_BYTES)).slice()),
    );
    const sequences = both.map((bytes) =>
      isSound(bytes, 'head') ? new DataView(bytes.buffer).getBigUint64(8, true) : -1n,
    );
    const current = sequences[0]! > sequences[1]! ? 0 : 1;
    const bytes = both[current]!.slice();
    new DataView(bytes.buffer).setBigUint64(8, sequences[current]! + 1n, true);
    bytes.set(guidToBytes(fileGuid), 16);
    bytes.set(guidToBytes(dataGuid), 32);
    sum(bytes);
    await this.file.write(HEADERS[1 - current]!, bytes);
    await this.file.flush();
  }
}

function entriesFor(size: number, blockSize: number, perChunk: number): number {
  const blocks = Math.ceil(size / blockSize);
  return blocks + Math.floor((blocks - 1) / perChunk);
}

function sum(bytes: Uint8Array): void {
  bytes.fill(0, 4, 8);
  new DataView(bytes.buffer).setUint32(4, CRC32C.buf(bytes) >>> 0, true);
}

function isSound(bytes: Uint8Array, signature: 'head' | 'regi'): boolean {
  if (latin1(bytes.subarray(0, 4)) !== signature) return false;
  const copy = bytes.slice();
  sum(copy);
  return copy.every((byte, i) => byte === bytes[i]);
}
