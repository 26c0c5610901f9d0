import { viewOf } from '../../bytes';
import { ATTRIBUTE, recordOf } from './record';
import { removeUpdateSequence } from './updateSequence';
import { NtfsDamage, type NtfsVolume, type Stream } from './volume';

const INDEX = { root: 0x90, allocation: 0xa0, name: '$I30' } as const;
const FLAG = { child: 1, last: 2 } as const;
/** Bits of a name's own attributes: an index of names is present, or the older form of the same. */
const IS_FOLDER = 0x10000010;
const UPCASE_RECORD = 10;
const UPCASE_BYTES = 2 * 65536;
/** Levels of a tree of names; a billion names have seven. */
const MAX_LEVELS = 16;

/** A name in a folder. */
export interface NameEntry {
  name: string;
  /** The file record that it leads to. */
  record: number;
  folder: boolean;
}

interface Node {
  bytes: Uint8Array;
  /** Position of the header of its entries. */
  headerAt: number;
}

interface Entry {
  found: NameEntry | null;
  units: Uint16Array;
  child: bigint | null;
}

/**
 * The names of a folder: a tree in the order of the volume's own case table (`$UpCase`), which is descended to one
 * name, however many there are, and reads no block that has been given up. A damaged tree is never taken for an empty
 * one.
 */
export class Folder {
  private constructor(
    private readonly volume: NtfsVolume,
    private readonly root: Node,
    private readonly blocks: Stream | null,
    private readonly blockSize: number,
  ) {}

  /** @throws NtfsDamage */
  static async open(volume: NtfsVolume, record: number): Promise<Folder> {
    const root = await volume.stream(record, INDEX.root, INDEX.name);
    if (!('resident' in root.content) || root.size < 0x20)
      throw new NtfsDamage('a folder’s index is damaged');
    const bytes = root.content.resident;
    const blockSize = viewOf(bytes).getUint32(8, true);
    if (blockSize < 512 || blockSize > 65536 || blockSize % 512 !== 0)
      throw new NtfsDamage('a folder’s index is damaged');
    const blocks = await volume.streamOrNull(record, INDEX.allocation, INDEX.name);
    return new Folder(volume, { bytes, headerAt: 0x10 }, blocks, blockSize);
  }

  /** A name, whatever its case; null: it is not there. @throws NtfsDamage where that can't be told */
  async find(name: string): Promise<NameEntry | null> {
    const upcase = await upcaseOf(this.volume);
    const wanted = Uint16Array.from({ length: name.length }, (_, i) => name.charCodeAt(i));
    let node = this.root;
    for (let level = 0; level < MAX_LEVELS; level++) {
      let child: bigint | null = null;
      for (const entry of entriesOf(node)) {
        const order = entry.found ? compare(upcase, wanted, entry.units) : -1;
        if (order === 0) return entry.found;
        if (order > 0) continue;
        child = entry.child;
        break;
      }
      if (child === null) return null;
      node = await this.block(child);
    }
    throw new NtfsDamage('a folder’s index is deeper than any');
  }

  /** All names, of a folder that has few. @throws NtfsDamage where it is damaged or has more than `most` */
  async list(most: number): Promise<NameEntry[]> {
    const names: NameEntry[] = [];
    const waiting: Node[] = [this.root];
    const seen = new Set<bigint>();
    for (let node = waiting.pop(); node; node = waiting.pop()) {
      for (const { found, child } of entriesOf(node)) {
        if (found) names.push(found);
        if (child === null) continue;
        if (seen.has(child) || seen.size > most) throw new NtfsDamage('a folder’s index runs in a circle');
        seen.add(child);
        waiting.push(await this.block(child));
      }
      if (names.length > most) throw new NtfsDamage(`a folder has more than ${most} names`);
    }
    return names;
  }

  /**
   * An index block by its number. It counts in clusters, or in 512 bytes (by some in sectors) where a cluster is larger
   * than a block; the block carries its own number, which tells.
   */
  private async block(vcn: bigint): Promise<Node> {
    const { clusterSize, bytesPerSector } = this.volume.boot;
    const units = clusterSize <= this.blockSize ? [clusterSize] : [512, bytesPerSector];
    for (const unit of new Set(units)) {
      const at = Number(vcn) * unit;
      if (!this.blocks || at + this.blockSize > this.blocks.size) continue;
      const raw = await this.volume.range(this.blocks, at, this.blockSize);
      if (
        String.fromCharCode(...raw.subarray(0, 4)) !== 'INDX' ||
        viewOf(raw).getBigUint64(0x10, true) !== vcn
      )
        continue;
      const bytes = removeUpdateSequence(raw);
      if (bytes) return { bytes, headerAt: 0x18 };
    }
    throw new NtfsDamage('a block of a folder’s index is damaged');
  }
}

/** The entries of one node; the last has no name, only what comes behind all. @throws NtfsDamage */
function* entriesOf({ bytes, headerAt }: Node): Generator<Entry> {
  const view = viewOf(bytes);
  const damage = () => new NtfsDamage('a folder’s index is damaged');
  const end = headerAt + view.getUint32(headerAt + 4, true);
  if (end > bytes.length) throw damage();
  for (let at = headerAt + view.getUint32(headerAt, true); at + 0x10 <= end;) {
    const length = view.getUint16(at + 8, true);
    const flags = view.getUint16(at + 12, true);
    const hasChild = (flags & FLAG.child) !== 0;
    if (length < 0x10 + (hasChild ? 8 : 0) || at + length > end) throw damage();
    const child = hasChild ? view.getBigUint64(at + length - 8, true) : null;
    if ((flags & FLAG.last) !== 0) {
      yield { found: null, units: new Uint16Array(0), child };
      return;
    }
    const nameAt = at + 0x52;
    if (nameAt > at + length) throw damage();
    const units = new Uint16Array(view.getUint8(at + 0x50));
    if (nameAt + 2 * units.length > at + length) throw damage();
    units.forEach((_, i) => (units[i] = view.getUint16(nameAt + 2 * i, true)));
    const folder = (view.getUint32(at + 0x48, true) & IS_FOLDER) !== 0;
    const name = String.fromCharCode(...units);
    yield { found: { name, record: recordOf(view, at), folder }, units, child };
    at += length;
  }
  throw damage(); // no last entry
}

/** Below, at or above 0 as `a` stands before, at or behind `b`, upper case against upper case. */
function compare(upcase: DataView, a: Uint16Array, b: Uint16Array): number {
  for (let i = 0; i < Math.min(a.length, b.length); i++) {
    const difference = upcase.getUint16(2 * a[i]!, true) - upcase.getUint16(2 * b[i]!, true);
    if (difference !== 0) return difference;
  }
  return a.length - b.length;
}

const tables = new WeakMap<NtfsVolume, DataView>();

async function upcaseOf(volume: NtfsVolume): Promise<DataView> {
  const known = tables.get(volume);
  if (known) return known;
  const stream = await volume.stream(UPCASE_RECORD, ATTRIBUTE.data);
  if (stream.size !== UPCASE_BYTES) throw new NtfsDamage('the $UpCase is damaged');
  const table = viewOf(await volume.range(stream, 0, UPCASE_BYTES));
  tables.set(volume, table);
  return table;
}
