import { viewOf } from '../../bytes';
import { randomFrom } from '../../random';
import type { Device } from '../devices/device';
import { NoRoom } from '../noRoom';

/** Description of a FAT volume to be made. Bytes, where nothing else is said. */
export interface FatSpec {
  fileSystem: 'fat16' | 'fat32';
  sectorSize: number;
  /** Sectors of the volume. */
  sectors: number;
  clusterSize: number;
  hiddenSectors: number;
  label: string;
  /** All but free clusters. */
  used: number;
  /** Number of small files, in a folder of their own; null: nothing at all, where something may have lain before. */
  files: number | null;
  seed: number;
  /** Milliseconds since 1970. */
  time: number;
}

const ENTRY = 32;
const FOLDER = 0x10;
const ARCHIVE = 0x20;
const LABEL = 0x08;
const LONG = 0x0f;
const MAX_FILE = 2 ** 32 - 2 ** 20;
const MARKS = 24;
const PIECE = 2 ** 20;

interface Geometry {
  reserved: number;
  fatSectors: number;
  rootEntries: number;
  clusters: number;
  dataAt: number;
}

/**
 * The sizes follow from each other: more clusters need a longer table, which leaves fewer. Sectors; `dataAt` in bytes.
 */
function geometryOf({ fileSystem, sectorSize, sectors, clusterSize }: FatSpec): Geometry {
  const wide = fileSystem === 'fat32';
  const reserved = wide ? 32 : 4;
  const rootEntries = wide ? 0 : 512;
  const perCluster = clusterSize / sectorSize;
  let fatSectors = 1;
  for (;;) {
    const before = reserved + 2 * fatSectors + (rootEntries * ENTRY) / sectorSize;
    const clusters = Math.floor((sectors - before) / perCluster);
    if (clusters < 1) throw new NoRoom('clusters');
    const needed = Math.ceil(((clusters + 2) * (wide ? 4 : 2)) / sectorSize);
    if (needed <= fatSectors)
      return { reserved, fatSectors, rootEntries, clusters, dataAt: before * sectorSize };
    fatSectors = needed;
  }
}

/**
 * Writes a FAT16 or FAT32 volume (domain facts 5) with a few folders and files, and large ones until it is in use as a
 * survey saw it.
 *
 * @returns how many files it holds
 * @throws NoRoom
 */
export async function formatFat(device: Device, base: number, spec: FatSpec): Promise<number> {
  return new FatFormatter(device, base, spec, geometryOf(spec)).run();
}

/** A run of clusters that follow each other, each leading to the next. */
interface Chain {
  first: number;
  count: number;
}

class FatFormatter {
  private next = 2;
  private readonly chains: Chain[] = [];
  private readonly random: () => number;

  constructor(
    private readonly device: Device,
    private readonly base: number,
    private readonly spec: FatSpec,
    private readonly geo: Geometry,
  ) {
    this.random = randomFrom(spec.seed);
  }

  async run(): Promise<number> {
    const { spec, geo } = this;
    const wide = spec.fileSystem === 'fat32';
    const wanted = Math.max(
      0,
      Math.min(geo.clusters, Math.floor((spec.used - geo.dataAt) / spec.clusterSize)),
    );
    const root = new Entries(spec.time);
    root.label(spec.label);
    const rootChain = wide ? this.take(Math.ceil((64 * ENTRY) / spec.clusterSize)) : null;
    if (spec.files === null) {
      const end = geo.dataAt + (rootChain ? rootChain.count * spec.clusterSize : 0);
      await this.device.zero(this.base, end);
    }
    let files = spec.files === null ? 0 : await this.bootFiles(root, spec.files);

    for (let left = wanted - (this.next - 2); left > 0;) {
      const count = Math.min(left, Math.floor(MAX_FILE / spec.clusterSize));
      const chain = this.take(count);
      const size = count * spec.clusterSize - 7;
      root.file(`fill ${++files}.bin`, chain.first, size);
      for (let i = 0; i < Math.min(MARKS, count); i++) {
        const text = new Uint8Array(this.device.sectorSize);
        text.set(new TextEncoder().encode(`Saltmarsh Bench, mark ${i} of file ${files}.`));
        await this.device.write(this.place(chain.first + Math.floor((i * count) / MARKS)), text);
      }
      left -= count;
    }
    if (rootChain) await this.writeFolder(rootChain, root);
    else await this.write(geo.dataAt - geo.rootEntries * ENTRY, root.bytes);
    if (this.next - 2 > geo.clusters) throw new NoRoom('clusters');
    await this.tables();
    await this.bootSectors(rootChain?.first ?? 0);
    return files;
  }

  private async bootFiles(root: Entries, count: number): Promise<number> {
    const boot = await this.folder(root, 'EFI', count);
    for (let i = 0; i < count; i++) {
      const bytes = new TextEncoder().encode(
        `entry ${i} of the harbour’s boot menu\n`.repeat(1 + Math.floor(this.random() * 400)),
      );
      boot.entries.file(`boot entry number ${i}.efi`, (await this.content(bytes)).first, bytes.length);
    }
    await this.writeFolder(boot.chain, boot.entries);
    return count;
  }

  private take(count: number): Chain {
    const chain = { first: this.next, count };
    this.next += count;
    if (this.next - 2 > this.geo.clusters) throw new NoRoom('clusters');
    this.chains.push(chain);
    return chain;
  }

  private place(cluster: number): number {
    return this.base + this.geo.dataAt + (cluster - 2) * this.spec.clusterSize;
  }

  private async content(bytes: Uint8Array): Promise<Chain> {
    const chain = this.take(Math.ceil(bytes.length / this.spec.clusterSize));
    await this.write(this.place(chain.first) - this.base, bytes);
    return chain;
  }

  private async folder(
    parent: Entries,
    name: string,
    files: number,
  ): Promise<{ chain: Chain; entries: Entries }> {
    const chain = this.take(Math.ceil((ENTRY * (3 + 4 * files)) / this.spec.clusterSize));
    parent.folder(name, chain.first);
    const entries = new Entries(this.spec.time);
    entries.dots(chain.first, 0);
    return { chain, entries };
  }

  private async writeFolder(chain: Chain, entries: Entries): Promise<void> {
    if (entries.bytes.length > chain.count * this.spec.clusterSize) throw new NoRoom('clusters');
    await this.write(this.place(chain.first) - this.base, entries.bytes);
  }

  private async write(at: number, bytes: Uint8Array): Promise<void> {
    const unit = this.device.sectorSize;
    const piece = new Uint8Array(Math.ceil(bytes.length / unit) * unit);
    piece.set(bytes);
    await this.device.write(this.base + at, piece);
  }

  /** Both tables, piece by piece: only the part that is in use is written. */
  private async tables(): Promise<void> {
    const { spec, geo } = this;
    const wide = spec.fileSystem === 'fat32';
    const width = wide ? 4 : 2;
    const end = wide ? 0x0fffffff : 0xffff;
    const ends = new Set(this.chains.map(({ first, count }) => first + count - 1));
    const length = Math.ceil((this.next * width) / spec.sectorSize) * spec.sectorSize;
    for (let at = 0; at < length; at += PIECE) {
      const bytes = new Uint8Array(Math.min(PIECE, length - at));
      const view = viewOf(bytes);
      for (let i = 0; i < bytes.length / width; i++) {
        const cluster = at / width + i;
        const media = wide ? 0x0ffffff8 : 0xfff8;
        const value =
          cluster === 0
            ? media
            : cluster === 1
              ? end
              : cluster >= this.next
                ? 0
                : ends.has(cluster)
                  ? end
                  : cluster + 1;
        if (wide) view.setUint32(4 * i, value, true);
        else view.setUint16(2 * i, value, true);
      }
      for (const table of [0, 1])
        await this.write((geo.reserved + table * geo.fatSectors) * spec.sectorSize + at, bytes);
    }
  }

  private async bootSectors(rootCluster: number): Promise<void> {
    const { spec, geo } = this;
    const wide = spec.fileSystem === 'fat32';
    const bytes = new Uint8Array(spec.sectorSize);
    const view = viewOf(bytes);
    bytes.set([0xeb, wide ? 0x58 : 0x3c, 0x90]);
    bytes.set(new TextEncoder().encode('MSDOS5.0'), 3);
    view.setUint16(11, spec.sectorSize, true);
    bytes[13] = spec.clusterSize / spec.sectorSize;
    view.setUint16(14, geo.reserved, true);
    bytes[16] = 2;
    view.setUint16(17, geo.rootEntries, true);
    if (!wide && spec.sectors < 65536) view.setUint16(19, spec.sectors, true);
    else view.setUint32(32, spec.sectors, true);
    bytes[21] = 0xf8;
    view.setUint16(24, 63, true);
    view.setUint16(26, 255, true);
    view.setUint32(28, spec.hiddenSectors % 2 ** 32, true);
    const extended = wide ? 64 : 36;
    if (wide) {
      view.setUint32(36, geo.fatSectors, true);
      view.setUint32(44, rootCluster, true);
      view.setUint16(48, 1, true);
      view.setUint16(50, 6, true);
    } else view.setUint16(22, geo.fatSectors, true);
    bytes[extended] = 0x80;
    bytes[extended + 2] = 0x29;
    view.setUint32(extended + 3, Math.floor(randomFrom(spec.seed)() * 2 ** 32), true);
    bytes.set(padded(spec.label || 'NO NAME', 11), extended + 7);
    bytes.set(padded(wide ? 'FAT32' : 'FAT16', 8), extended + 18);
    view.setUint16(510, 0xaa55, true);
    await this.write(0, bytes);
    if (!wide) return;
    const info = new Uint8Array(spec.sectorSize);
    viewOf(info).setUint32(0, 0x41615252, true);
    viewOf(info).setUint32(484, 0x61417272, true);
    viewOf(info).setUint32(488, geo.clusters - (this.next - 2), true);
    viewOf(info).setUint32(492, this.next - 1, true);
    viewOf(info).setUint32(508, 0xaa550000, true);
    for (const at of [1, 7]) await this.write(at * spec.sectorSize, info);
    await this.write(6 * spec.sectorSize, bytes);
  }
}

const padded = (text: string, length: number): Uint8Array =>
  new TextEncoder().encode(
    text
      .toUpperCase()
      .replace(/[^A-Z0-9 ._-]/g, '_')
      .padEnd(length)
      .slice(0, length),
  );

/** The entries of a folder, long names with the short ones that stand for them. */
class Entries {
  private readonly parts: Uint8Array[] = [];
  private count = 0;
  private readonly date: number;
  private readonly clock: number;

  constructor(time: number) {
    const at = new Date(time);
    this.date = ((at.getUTCFullYear() - 1980) << 9) | ((at.getUTCMonth() + 1) << 5) | at.getUTCDate();
    this.clock = (at.getUTCHours() << 11) | (at.getUTCMinutes() << 5);
  }

  get bytes(): Uint8Array {
    const out = new Uint8Array(ENTRY * this.parts.length);
    this.parts.forEach((part, i) => out.set(part, ENTRY * i));
    return out;
  }

  label(label: string): void {
    if (label !== '') this.parts.push(this.entry(padded(label, 11), LABEL, 0, 0));
  }

  dots(own: number, parent: number): void {
    this.parts.push(
      this.entry(padded('.', 11), FOLDER, own, 0),
      this.entry(padded('..', 11), FOLDER, parent, 0),
    );
  }

  folder(name: string, first: number): void {
    this.parts.push(this.entry(padded(name, 11), FOLDER, first, 0));
  }

  /** @param name longer than a short one, so that it needs both */
  file(name: string, first: number, size: number): void {
    const short = padded(`F${String(++this.count).padStart(6, '0')}~BIN`, 11);
    let sum = 0;
    for (const byte of short) sum = (((sum & 1) << 7) + (sum >> 1) + byte) & 0xff;
    const units = [...name].map((letter) => letter.charCodeAt(0));
    const pieces = Math.ceil(units.length / 13);
    for (let piece = pieces; piece > 0; piece--) {
      const bytes = new Uint8Array(ENTRY);
      const view = viewOf(bytes);
      bytes[0] = piece | (piece === pieces ? 0x40 : 0);
      bytes[11] = LONG;
      bytes[13] = sum;
      [1, 3, 5, 7, 9, 14, 16, 18, 20, 22, 24, 28, 30].forEach((at, i) => {
        const unit = 13 * (piece - 1) + i;
        view.setUint16(at, unit < units.length ? units[unit]! : unit === units.length ? 0 : 0xffff, true);
      });
      this.parts.push(bytes);
    }
    this.parts.push(this.entry(short, ARCHIVE, first, size));
  }

  private entry(name: Uint8Array, flags: number, first: number, size: number): Uint8Array {
    const bytes = new Uint8Array(ENTRY);
    const view = viewOf(bytes);
    bytes.set(name);
    bytes[11] = flags;
    view.setUint16(14, this.clock, true);
    view.setUint16(16, this.date, true);
    view.setUint16(18, this.date, true);
    view.setUint16(20, first >>> 16, true);
    view.setUint16(22, this.clock, true);
    view.setUint16(24, this.date, true);
    view.setUint16(26, first & 0xffff, true);
    view.setUint32(28, size, true);
    return bytes;
  }
}
