import { latin1, viewOf } from '../../../bytes';
import { ReadBeyondEnd } from '../../../images/source';
import { vhdChecksum } from '../../../images/vhd';
import { checkRange, DeviceFailure, joined, type Device, type Stretch } from '../device';
import { ABSENT, HEADER_AT, headerOf, roundUp, SECTOR, serialOf, resizeFooter } from './format';

/** The file grows by as many blocks at once: they are holes until something is written into them. */
const GROW_BLOCKS = 32;
/** Sector maps that are kept in memory, at most. */
const MAX_MAPS = 32_768;
/** Largest block table that is worked with: 64 MiB, disks of 32 TiB with usual blocks. */
const MAX_BLOCKS = 2 ** 24;

/** Bitmap of a block's used sectors, most significant bit first. */
interface SectorMap {
  bits: Uint8Array;
  changed: boolean;
}

export class DynamicVhd implements Device {
  private readonly maps = new Map<number, SectorMap>();
  private readonly changedEntries = new Set<number>();
  /** Blocks of the file that nothing lies in, by their first sector. */
  private free: number[] = [];
  /** Given back, but the table on disk may still lead to them. */
  private freed: number[] = [];
  private reused = false;
  private readonly mapBytes: number;
  /** Bytes of the file as it was opened: beyond it there is nothing but what was written since. */
  private readonly foundEnd: number;

  private constructor(
    private readonly file: Device,
    public size: number,
    readonly sectorSize: number,
    private footer: Uint8Array,
    private readonly blockSize: number,
    private tableAt: number,
    private table: Uint32Array,
    /** End of the file's data, where the next block may be. */
    private end: number,
  ) {
    this.mapBytes = roundUp(blockSize / SECTOR / 8, SECTOR);
    this.foundEnd = file.size;
  }

  static async open(
    file: Device,
    size: number,
    footer: Uint8Array,
    sectorSize = SECTOR,
  ): Promise<{ ok: true; value: DynamicVhd } | null> {
    const headerAt = Number(viewOf(footer).getBigUint64(16));
    if (headerAt % SECTOR !== 0 || headerAt + 1024 > file.size) return null;
    const header = await file.read(headerAt, 1024);
    const view = viewOf(header);
    if (latin1(header.subarray(0, 8)) !== 'cxsparse' || vhdChecksum(header, 36) !== view.getUint32(36))
      return null;
    const tableAt = Number(view.getBigUint64(16));
    const entries = view.getUint32(28);
    const blockSize = view.getUint32(32);
    const blocks = Math.ceil(size / blockSize);
    const plausible =
      blockSize >= 8 * SECTOR &&
      (blockSize & (blockSize - 1)) === 0 &&
      entries >= blocks &&
      entries <= MAX_BLOCKS &&
      tableAt % SECTOR === 0 &&
      tableAt + roundUp(4 * entries, SECTOR) <= file.size;
    if (!plausible) return null;
    const listed = viewOf(await file.read(tableAt, roundUp(4 * entries, SECTOR)));
    // Millions of entries on a large disk: nothing is made of them on the way.
    const table = new Uint32Array(entries);
    for (let i = 0; i < entries; i++) table[i] = listed.getUint32(4 * i);
    const whole = blockSize + roundUp(blockSize / SECTOR / 8, SECTOR);
    let end = SECTOR;
    // A write into one block must never arrive in another, nor in the table.
    const places: [at: number, length: number][] = [
      [headerAt, 1024],
      [tableAt, roundUp(4 * entries, SECTOR)],
    ];
    for (const sector of table) if (sector !== ABSENT) places.push([sector * SECTOR, whole]);
    for (const [at, length] of places.sort(([a], [b]) => a - b)) {
      if (at < end || at + length > file.size) return null;
      end = at + length;
    }
    return {
      ok: true,
      value: new DynamicVhd(file, size, sectorSize, footer, blockSize, tableAt, table, end),
    };
  }

  async read(offset: number, length: number): Promise<Uint8Array> {
    if (!Number.isSafeInteger(offset + length) || offset < 0 || length < 0 || offset + length > this.size)
      throw new ReadBeyondEnd(offset, length, this.size);
    const out = new Uint8Array(length);
    for (const { block, from, at, take } of this.pieces(offset, length)) {
      const sector = this.table[block]!;
      if (sector === ABSENT) continue;
      const map = await this.map(block);
      for (const run of runsOf(map.bits, from, take)) {
        const bytes = await this.file.read(sector * SECTOR + this.mapBytes + run.from, run.take);
        out.set(bytes, at + run.from - from);
      }
    }
    return out;
  }

  async write(offset: number, bytes: Uint8Array): Promise<void> {
    checkRange(this, offset, bytes.length);
    for (const { block, from, at, take } of this.pieces(offset, bytes.length)) {
      const sector = this.table[block] === ABSENT ? await this.take(block) : this.table[block]!;
      await this.file.write(sector * SECTOR + this.mapBytes + from, bytes.subarray(at, at + take));
      this.mark(await this.map(block), from, take);
    }
  }

  async zero(offset: number, length: number): Promise<void> {
    checkRange(this, offset, length);
    for (const { block, from, take } of this.pieces(offset, length)) {
      const sector = this.table[block]!;
      if (sector === ABSENT) continue;
      if (take === this.blockSize) {
        this.table[block] = ABSENT;
        this.maps.delete(block);
        this.changedEntries.add(block);
        this.freed.push(sector);
        continue;
      }
      // Readers that ignore the map see what lies there, so a cleared bit alone is no zero.
      for (const run of runsOf((await this.map(block)).bits, from, take))
        await this.file.zero(sector * SECTOR + this.mapBytes + run.from, run.take);
    }
  }

  /** Data and sector maps first; the table leads to a block that was used before only once its map is safe. */
  async flush(): Promise<void> {
    for (const [block, map] of this.maps) {
      if (!map.changed) continue;
      await this.file.write(this.table[block]! * SECTOR, map.bits);
      map.changed = false;
    }
    if (this.reused) await this.file.flush();
    this.reused = false;
    for (const sector of new Set([...this.changedEntries].map((block) => Math.floor((4 * block) / SECTOR)))) {
      const bytes = new Uint8Array(SECTOR);
      const first = (sector * SECTOR) / 4;
      for (let i = 0; i < SECTOR / 4; i++) viewOf(bytes).setUint32(4 * i, this.table[first + i] ?? ABSENT);
      await this.file.write(this.tableAt + sector * SECTOR, bytes);
    }
    this.changedEntries.clear();
    await this.file.flush();
    this.free.push(...this.freed);
    this.freed = [];
  }

  async stretches(offset: number, length: number): Promise<Stretch[]> {
    checkRange(this, offset, length);
    const found: Stretch[] = [];
    for (const { block, from, take } of this.pieces(offset, length)) {
      if (this.table[block] === ABSENT) continue;
      const map = await this.map(block);
      for (const run of runsOf(map.bits, from, take))
        found.push({ offset: block * this.blockSize + run.from, length: run.take });
    }
    return joined(found);
  }

  async resize(size: number): Promise<void> {
    if (size < this.size) await this.zero(size, this.size - size);
    await this.flush();
    const blocks = Math.ceil(size / this.blockSize);
    if (blocks > MAX_BLOCKS) throw new DeviceFailure('fixed-size', 'A VHD can’t be made that large.');
    if (blocks > this.table.length) await this.moveTable(blocks);
    this.footer = resizeFooter(this.footer, size);
    this.size = size;
    await this.writeFooter(this.file.size - SECTOR);
    await this.file.write(0, this.footer);
    await this.file.flush();
  }

  /** Space that was set apart for blocks that never came is given back. */
  async close(): Promise<void> {
    await this.flush();
    await this.writeFooter(this.end);
    await this.file.flush();
    await this.file.resize(this.end + SECTOR);
    await this.file.flush();
  }

  get serial(): string {
    return serialOf(this.footer);
  }

  /** Bytes that its file takes at most. */
  get held(): number {
    return this.end + SECTOR;
  }

  /** A larger table goes behind everything; the header names it once it is whole. */
  private async moveTable(entries: number): Promise<void> {
    const bytes = new Uint8Array(roundUp(4 * entries, SECTOR)).fill(0xff);
    this.table.forEach((sector, i) => viewOf(bytes).setUint32(4 * i, sector));
    const at = this.end;
    await this.makeRoom(at + bytes.length);
    await this.file.write(at, bytes);
    await this.file.flush();
    await this.file.write(HEADER_AT, this.headerWith(at, entries));
    await this.file.flush();
    const table = new Uint32Array(entries).fill(ABSENT);
    table.set(this.table);
    this.table = table;
    this.tableAt = at;
    this.end = at + bytes.length;
  }

  private headerWith(tableAt: number, entries: number): Uint8Array {
    const bytes = headerOf(tableAt, entries);
    const view = viewOf(bytes);
    view.setUint32(32, this.blockSize);
    view.setUint32(36, vhdChecksum(bytes, 36));
    return bytes;
  }

  /**
   * Room for a block: one that was given back, else behind all others. Its sector map is empty, and all of it is zeros.
   */
  private async take(block: number): Promise<number> {
    const again = this.free.pop();
    const whole = this.mapBytes + this.blockSize;
    let sector: number;
    if (again !== undefined) {
      sector = again;
      this.reused = true;
    } else {
      await this.makeRoom(this.end + whole);
      sector = this.end / SECTOR;
      this.end += whole;
    }
    // A block that was given back, or that a cut left without a table entry, holds what it held.
    if (again !== undefined || sector * SECTOR < this.foundEnd) await this.file.zero(sector * SECTOR, whole);
    this.table[block] = sector;
    this.changedEntries.add(block);
    this.maps.set(block, { bits: new Uint8Array(this.mapBytes), changed: true });
    return sector;
  }

  /** The file reaches beyond `end`, with its footer behind; where the footer was there are zeros. */
  private async makeRoom(end: number): Promise<void> {
    const old = this.file.size - SECTOR;
    if (end <= old) return;
    const grown = Math.max(end, this.end + GROW_BLOCKS * (this.mapBytes + this.blockSize));
    await this.file.resize(grown + SECTOR);
    await this.writeFooter(grown);
    await this.file.flush();
    if (old >= this.end) await this.file.write(old, new Uint8Array(SECTOR));
    await this.file.flush();
  }

  private writeFooter(at: number): Promise<void> {
    return this.file.write(at, this.footer);
  }

  private async map(block: number): Promise<SectorMap> {
    const known = this.maps.get(block);
    if (known) return known;
    const bits = (await this.file.read(this.table[block]! * SECTOR, this.mapBytes)).slice();
    const map = { bits, changed: false };
    if (this.maps.size >= MAX_MAPS) this.forgetSome();
    this.maps.set(block, map);
    return map;
  }

  /** Maps that are as they stand in the file need not be kept. */
  private forgetSome(): void {
    for (const [block, { changed }] of this.maps) if (!changed) this.maps.delete(block);
  }

  /** A bit stays set from then on: sectors that become zeros again hold zeros. */
  private mark(map: SectorMap, from: number, take: number): void {
    map.changed = true;
    for (let sector = from / SECTOR; sector < (from + take) / SECTOR;) {
      if ((sector & 7) === 0 && sector + 8 <= (from + take) / SECTOR) {
        map.bits[sector >> 3] = 0xff;
        sector += 8;
        continue;
      }
      map.bits[sector >> 3]! |= 0x80 >> (sector & 7);
      sector++;
    }
  }

  private *pieces(
    offset: number,
    length: number,
  ): Generator<{ block: number; from: number; at: number; take: number }> {
    for (let at = 0; at < length;) {
      const block = Math.floor((offset + at) / this.blockSize);
      const from = offset + at - block * this.blockSize;
      const take = Math.min(this.blockSize - from, length - at);
      yield { block, from, at, take };
      at += take;
    }
  }
}

/** The runs of a part of a block whose sectors hold something, in bytes of the block. */
function runsOf(bits: Uint8Array, from: number, take: number): { from: number; take: number }[] {
  const runs: { from: number; take: number }[] = [];
  const end = from + take;
  for (let at = from; at < end;) {
    const sector = Math.floor(at / SECTOR);
    const holds = ((bits[sector >> 3]! >> (7 - (sector & 7))) & 1) === 1;
    const whole = (sector & 7) === 0 && (bits[sector >> 3] === 0 || bits[sector >> 3] === 0xff);
    const until = Math.min(end, (sector + (whole ? 8 : 1)) * SECTOR);
    const last = runs.at(-1);
    if (holds && last && last.from + last.take === at) last.take += until - at;
    else if (holds) runs.push({ from: at, take: until - at });
    at = until;
  }
  return runs;
}
