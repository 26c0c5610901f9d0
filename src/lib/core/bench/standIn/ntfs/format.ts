import { viewOf } from '../../../bytes';
import type { ClusterMap } from '../../../disk';
import { randomFrom } from '../../../random';
import type { Device } from '../../devices/device';
import { applyEdits } from '../../ntfs/bitmapPlan';
import type { Made } from '../files';
import { Allocator, runsOf, type Clusters } from './allocator';
import { FLAG, nonResident, resident, roundUp, TYPE, units, type Attribute } from './attribute';
import {
  attributeList,
  FILE,
  fileName,
  fileRecord,
  putRef,
  roomIn,
  standardInformation,
  type NameFacts,
  type Ref,
  type Times,
} from './fileRecord';
import { buildIndex, type IndexEntry } from './index';
import { attributeDefinitions, byUpcase, SECURITY_ID, security, upcaseTable } from './system';

/** What a volume is to be. Bytes, where nothing else is said. */
export interface NtfsSpec {
  sectorSize: number;
  clusterSize: number;
  /** Sectors of the file system; its backup boot sector follows. */
  totalSectors: number;
  hiddenSectors: number;
  label: string;
  used: number;
  /** To the end of the last cluster in use, or null. */
  lastUsed: number | null;
  map: ClusterMap | null;
  made: readonly Made[];
  seed: number;
  /** When its files are from, in milliseconds since 1970. */
  time: number;
}

/** The volume is too full or too small for what it is to hold. */
export class NoSpace extends Error {}

const ROOT: Ref = { number: 5, sequence: 5 };
const FIRST_OF_USERS = 24;
const LOG_BYTES = 2 * 2 ** 20;
const INDEX_BLOCK = 4096;
const TICKS_1601 = 11_644_473_600_000;
/** Runs that a record of a large file holds for sure. */
const MOST_RUNS = 55;
const MOST_MARKERS = 400;
const SCATTERED_RUNS = 120;
const MAP_PIECE = 2 ** 20;

/** Bytes of one stream, and the clusters that they go to. */
interface Content {
  parts: readonly Clusters[];
  bytes: Uint8Array;
  /** Byte of the stream where they begin. */
  at?: number;
}

interface Folder {
  ref: Ref;
  entries: { name: string; ref: Ref; key: Uint8Array }[];
}

/**
 * Writes an NTFS 3.1 volume (domain facts 4) with made-up files and large ones, so that it is in use as a survey saw it. The device
 * holds nothing there yet.
 *
 * @param base byte of the device where the volume begins
 * @returns how many files it holds
 * @throws NoSpace
 */
export async function formatNtfs(device: Device, base: number, spec: NtfsSpec): Promise<number> {
  return new Formatter(device, base, spec).run();
}

class Formatter {
  private readonly clusters: number;
  private readonly recordSize: number;
  private readonly space: Allocator;
  private readonly random: () => number;
  private readonly upcase = upcaseTable();
  private readonly order = byUpcase(this.upcase);
  private readonly records = new Map<number, Uint8Array>();
  private readonly contents: Content[] = [];
  private readonly folders = new Map<string, Folder>();
  private readonly times: Times;
  private next = FIRST_OF_USERS;
  private files = 0;

  constructor(
    private readonly device: Device,
    private readonly base: number,
    private readonly spec: NtfsSpec,
  ) {
    const { clusterSize, sectorSize, totalSectors, used, lastUsed, map, seed, time } = spec;
    this.clusters = Math.floor((totalSectors * sectorSize) / clusterSize);
    this.recordSize = Math.max(1024, sectorSize);
    const last = lastUsed === null ? null : Math.min(this.clusters, Math.ceil(lastUsed / clusterSize)) - 1;
    this.space = new Allocator(
      this.clusters,
      Math.min(this.clusters, Math.floor(used / clusterSize)),
      last,
      map,
    );
    this.random = randomFrom(seed);
    const ticks = BigInt(time + TICKS_1601) * 10_000n;
    this.times = { created: ticks - 864_000_000_000n, changed: ticks };
  }

  async run(): Promise<number> {
    const { clusterSize, made } = this.spec;
    const boot = this.whole(8192);
    if (boot.first !== 0) throw new NoSpace();
    const mirrorBytes = Math.max(4, clusterSize / this.recordSize) * this.recordSize;
    const mirror = this.whole(mirrorBytes);
    // A record for every file, some that continue one, and enough for the large ones at the end.
    const buckets = this.spec.map ? this.spec.map.used.length : 260;
    const large = 2 * Math.ceil((buckets + 480) / MOST_RUNS) + 24;
    const extra = made.filter(({ kind }) => kind === 'scattered').length * 8;
    const most = roundUp(FIRST_OF_USERS + made.length + large + extra + 2, 64);
    const mft = this.whole(most * this.recordSize);
    const mftMap = this.clustersFor(roundUp(most / 8, 8));
    this.folders.set('', { ref: ROOT, entries: [] });
    const sizes = this.system({ boot, mirror, mirrorBytes, mft, mftMap, most });
    for (const one of made) this.make(one);
    this.fillUp(large);
    this.endFolders();
    if (this.next > most) throw new Error('more records than the $MFT has room for');
    if (this.space.remaining > 0) throw new Error('clusters are left over');
    for (let number = 12; number < FIRST_OF_USERS; number++) this.keptBack(number);
    await this.bitmap(sizes.bitmap);
    await this.writeAll({ boot, mirror, mirrorBytes, mft, mftMap, most });
    return this.files;
  }

  /** Exactly so many bytes of clusters in one run. */
  private whole(bytes: number): Clusters {
    const found = this.space.takeWhole(Math.ceil(bytes / this.spec.clusterSize));
    if (!found) throw new NoSpace();
    return found;
  }

  private clustersFor(bytes: number): Clusters[] {
    const count = Math.ceil(bytes / this.spec.clusterSize);
    const parts = this.space.take(count);
    if (parts.reduce((sum, part) => sum + part.count, 0) < count) throw new NoSpace();
    return parts;
  }

  /** A stream of bytes outside its record. */
  private stream(
    type: number,
    bytes: Uint8Array,
    name = '',
    parts = this.clustersFor(bytes.length),
  ): Attribute {
    this.contents.push({ parts, bytes });
    const allocated = countOf(parts) * this.spec.clusterSize;
    return nonResident(
      type,
      runsOf(parts),
      { allocated, size: bytes.length, initialised: bytes.length },
      { name },
    );
  }

  /** The map of clusters, piece by piece: of a large volume most of it is zeros, which are there already. */
  private async bitmap(parts: readonly Clusters[]): Promise<void> {
    const size = 8 * Math.ceil(this.clusters / 64);
    const beyond = { first: this.clusters, count: 8 * size - this.clusters };
    const given = [...this.space.given, beyond].sort((a, b) => a.first - b.first);
    let next = 0;
    for (let at = 0; at < size; at += MAP_PIECE) {
      const bytes = new Uint8Array(Math.min(MAP_PIECE, size - at));
      const [from, end] = [8 * at, 8 * (at + bytes.length)];
      while (next < given.length && given[next]!.first + given[next]!.count <= from) next++;
      let any = false;
      for (let i = next; i < given.length && given[i]!.first < end; i++) {
        const { first, count } = given[i]!;
        applyEdits(bytes, from, [{ first, count, bit: 1 }]);
        any ||= count > 0;
      }
      if (any) await this.put({ parts, bytes, at });
    }
  }

  /** The file system's own files, but for the root folder, which is written when all its names are known. */
  private system(places: Places): { bitmap: Clusters[] } {
    const { clusterSize, label } = this.spec;
    const { boot, mirror, mirrorBytes, mft, mftMap, most } = places;
    const size = (clusters: readonly Clusters[], bytes: number) => ({
      allocated: countOf(clusters) * clusterSize,
      size: bytes,
      initialised: bytes,
    });
    const at = (clusters: readonly Clusters[], bytes: number, type: number = TYPE.data) =>
      nonResident(type, runsOf(clusters), size(clusters, bytes));
    this.own(
      0,
      '$MFT',
      [at([mft], most * this.recordSize), at(mftMap, roundUp(most / 8, 8), TYPE.bitmap)],
      most * this.recordSize,
    );
    this.own(1, '$MFTMirr', [at([mirror], mirrorBytes)], mirrorBytes);
    const log = this.clustersFor(LOG_BYTES);
    this.contents.push({ parts: log, bytes: new Uint8Array(LOG_BYTES).fill(0xff) });
    this.own(2, '$LogFile', [at(log, LOG_BYTES)], LOG_BYTES);
    const version = Uint8Array.of(0, 0, 0, 0, 0, 0, 0, 0, 3, 1, 0, 0);
    this.own(3, '$Volume', [
      resident(TYPE.volumeName, units(label.slice(0, 32))),
      resident(TYPE.volumeInformation, version),
      resident(TYPE.data, new Uint8Array(0)),
    ]);
    const definitions = attributeDefinitions();
    this.own(4, '$AttrDef', [this.stream(TYPE.data, definitions)], definitions.length);
    const bitmapBytes = 8 * Math.ceil(this.clusters / 64);
    const bitmap = this.clustersFor(bitmapBytes);
    this.own(6, '$Bitmap', [at(bitmap, bitmapBytes)], bitmapBytes);
    this.own(7, '$Boot', [at([boot], 8192)], 8192);
    const all = this.clusters * clusterSize;
    const bad = [{ vcn: 0, lcn: null, clusters: this.clusters }];
    this.own(8, '$BadClus', [
      resident(TYPE.data, new Uint8Array(0)),
      nonResident(TYPE.data, bad, { allocated: all, size: all, initialised: 0 }, { name: '$Bad' }),
    ]);
    const { stream, byHash, byId } = security();
    const view = (entry: IndexEntry, collation: number) =>
      buildIndex([entry], { type: 0, collation, blockSize: INDEX_BLOCK, clusterSize, room: 512 }).root;
    this.own(9, '$Secure', [
      this.stream(TYPE.data, stream, '$SDS'),
      resident(TYPE.root, view(byHash, 0x12), '$SDH'),
      resident(TYPE.root, view(byId, 0x10), '$SII'),
    ]);
    this.own(10, '$UpCase', [this.stream(TYPE.data, this.upcase)], this.upcase.length);
    const extend: Ref = { number: 11, sequence: 11 };
    this.folders.set('/$Extend', { ref: extend, entries: [] });
    this.nameIn('', '$Extend', extend, {
      allocated: 0,
      size: 0,
      flags: FILE.hidden | FILE.system | FILE.folder,
    });
    return { bitmap };
  }

  private own(number: number, name: string, attributes: Attribute[], size = 0): void {
    const ref = { number, sequence: Math.max(1, number) };
    const flags = FILE.hidden | FILE.system;
    const key = this.nameIn('', name, ref, { allocated: roundUp(size, this.spec.clusterSize), size, flags });
    this.record(ref, false, [this.standard(flags), resident(TYPE.name, key, '', true), ...attributes]);
  }

  /** Records that are set apart: some in use without a name, as every formatter leaves them, some free. */
  private keptBack(number: number): void {
    const used = number < 16;
    const attributes = used
      ? [this.standard(FILE.hidden | FILE.system), resident(TYPE.data, new Uint8Array(0))]
      : [];
    const facts = { number, sequence: number, links: 0, folder: false, used, attributes };
    this.records.set(number, fileRecord(this.recordSize, facts));
  }

  private standard(flags: number): Attribute {
    return resident(TYPE.standard, standardInformation(this.times, flags, SECURITY_ID));
  }

  private record(ref: Ref, folder: boolean, attributes: readonly Attribute[], links = 1, base?: Ref): void {
    const facts = { ...ref, links, folder, used: true, attributes, ...(base ? { base } : {}) };
    this.records.set(ref.number, fileRecord(this.recordSize, facts));
  }

  private newRef(): Ref {
    return { number: this.next++, sequence: 1 };
  }

  /** Puts a name into its folder; the folder's index is built when all are there. */
  private nameIn(
    folder: string,
    name: string,
    ref: Ref,
    facts: Omit<NameFacts, 'parent' | 'name' | 'times'>,
  ): Uint8Array {
    const parent = this.folders.get(folder);
    if (!parent) throw new Error(`there is no folder ${folder}`);
    const key = fileName({ parent: parent.ref, name, times: this.times, ...facts });
    parent.entries.push({ name, ref, key });
    return key;
  }

  private make(one: Made): void {
    const cut = one.path.lastIndexOf('/');
    const [folder, name] = [one.path.slice(0, cut), one.path.slice(cut + 1)];
    const ref = this.newRef();
    if (one.kind === 'folder') {
      this.folders.set(one.path, { ref, entries: [] });
      this.nameIn(folder, name, ref, { allocated: 0, size: 0, flags: FILE.folder });
      return;
    }
    this.files++;
    const { attributes, facts } = this.contentOf(one);
    const keys = [this.nameIn(folder, name, ref, facts)];
    if (one.kind === 'file' && one.alsoAt) {
      const other = one.alsoAt.lastIndexOf('/');
      keys.push(this.nameIn(one.alsoAt.slice(0, other), one.alsoAt.slice(other + 1), ref, facts));
    }
    const own = [this.standard(facts.flags), ...keys.map((key) => resident(TYPE.name, key, '', true))];
    if (one.kind === 'scattered') this.overSeveral(ref, own, attributes);
    else this.record(ref, false, [...own, ...attributes], keys.length);
  }

  private contentOf(one: Exclude<Made, { kind: 'folder' }>): {
    attributes: Attribute[];
    facts: Omit<NameFacts, 'parent' | 'name' | 'times'>;
  } {
    const { clusterSize } = this.spec;
    const facts = (size: number, allocated: number, flags = 0, reparseTag?: number) => ({
      size,
      allocated,
      flags: FILE.archive | flags,
      ...(reparseTag === undefined ? {} : { reparseTag }),
    });
    switch (one.kind) {
      case 'file': {
        const { bytes, streams = [] } = one;
        const small = bytes.length === 0 || (bytes.length <= 480 && streams.length === 0);
        const own = small ? resident(TYPE.data, bytes) : this.stream(TYPE.data, bytes);
        const others = streams.map((stream) =>
          stream.bytes.length <= 60
            ? resident(TYPE.data, stream.bytes, stream.name)
            : this.stream(TYPE.data, stream.bytes, stream.name),
        );
        const allocated = small ? roundUp(bytes.length, 8) : roundUp(bytes.length, clusterSize);
        return { attributes: [own, ...others], facts: facts(bytes.length, allocated) };
      }
      case 'sparse': {
        // Holes, a piece in the middle, holes up to the end.
        const parts = this.clustersFor(one.piece.length);
        const all = Math.ceil(one.size / clusterSize);
        const before = Math.floor(all / 2 / 16) * 16;
        this.contents.push({ parts, bytes: one.piece });
        const middle = runsOf(parts, before);
        const end = before + countOf(parts);
        const runs = [
          { vcn: 0, lcn: null, clusters: before },
          ...middle,
          { vcn: end, lcn: null, clusters: all - end },
        ];
        const stored = countOf(parts) * clusterSize;
        const sizes = { allocated: all * clusterSize, size: one.size, initialised: one.size, stored };
        return {
          attributes: [nonResident(TYPE.data, runs, sizes, { flags: FLAG.sparse })],
          facts: facts(one.size, stored, FILE.sparse),
        };
      }
      case 'compressed': {
        // Compression ends where clusters are larger than 4 KiB.
        if (clusterSize > 4096) {
          const bytes = new Uint8Array(one.blocks * 65536).fill(0x41);
          return { attributes: [this.stream(TYPE.data, bytes)], facts: facts(bytes.length, bytes.length) };
        }
        const runs = [];
        for (let block = 0; block < one.blocks; block++) {
          const parts = this.clustersFor(1);
          this.contents.push({ parts, bytes: packedUnit(16 * clusterSize, block) });
          runs.push(
            { vcn: 16 * block, lcn: parts[0]!.first, clusters: 1 },
            { vcn: 16 * block + 1, lcn: null, clusters: 15 },
          );
        }
        const size = one.blocks * 16 * clusterSize;
        const sizes = { allocated: size, size, initialised: size, stored: one.blocks * clusterSize };
        return {
          attributes: [nonResident(TYPE.data, runs, sizes, { flags: FLAG.compressed })],
          facts: facts(size, sizes.stored, FILE.compressed),
        };
      }
      case 'scattered':
        return this.scattered(one.clusters, facts);
      case 'link': {
        const tag = one.junction ? 0xa0000003 : 0xa000000c;
        return {
          attributes: [
            resident(TYPE.data, new Uint8Array(0)),
            resident(TYPE.reparse, reparse(tag, one.target)),
          ],
          facts: facts(0, 0, FILE.reparse, tag),
        };
      }
    }
  }

  /** A file whose clusters have one of somebody else between any two. */
  private scattered(
    count: number,
    facts: (size: number, allocated: number) => Omit<NameFacts, 'parent' | 'name' | 'times'>,
  ): { attributes: Attribute[]; facts: Omit<NameFacts, 'parent' | 'name' | 'times'> } {
    const { clusterSize } = this.spec;
    const mine: Clusters[] = [];
    for (let i = 0; i < count; i++) {
      const [own, between] = [this.clustersFor(1)[0]!, this.clustersFor(1)[0]!];
      mine.push(own);
      this.between.push(between);
    }
    const bytes = Uint8Array.from({ length: count * clusterSize }, () => 32 + Math.floor(this.random() * 90));
    this.contents.push({ parts: mine, bytes });
    const sizes = { allocated: bytes.length, size: bytes.length, initialised: bytes.length };
    const attributes: Attribute[] = [];
    const runs = runsOf(mine);
    for (let i = 0; i < runs.length; i += SCATTERED_RUNS)
      attributes.push(nonResident(TYPE.data, runs.slice(i, i + SCATTERED_RUNS), sizes));
    return { attributes, facts: facts(bytes.length, bytes.length) };
  }

  /** Clusters between those of scattered files; a file of their own holds them. */
  private readonly between: Clusters[] = [];

  /** A file that does not fit into one record: its parts lie in others, and a list says where. */
  private overSeveral(ref: Ref, own: readonly Attribute[], parts: readonly Attribute[]): void {
    const others = parts.map((attribute) => ({ attribute, at: this.newRef() }));
    for (const { attribute, at } of others) this.record(at, false, [attribute], 0, ref);
    const entries = [
      ...own.map((attribute, i) => ({ attribute, id: i === 0 ? 0 : i + 1, at: ref })),
      ...others.map(({ attribute, at }) => ({ attribute, id: 0, at })),
    ];
    this.record(ref, false, [...own, resident(TYPE.list, attributeList(entries))]);
  }

  /** All that is still to be in use goes to large files that hold nothing but a mark here and there. */
  private fillUp(most: number): void {
    const folder = '/Recordings';
    const ref = this.newRef();
    this.folders.set(folder, { ref, entries: [] });
    this.nameIn('', 'Recordings', ref, { allocated: 0, size: 0, flags: FILE.folder });
    // The indexes of all folders need room before everything is given away.
    for (const path of this.folders.keys())
      this.indexRoom.set(path, this.roomForIndex(path, most + this.between.length / MOST_RUNS));
    const parts = [
      ...this.between.sort((a, b) => a.first - b.first),
      ...this.space.takeLast(Math.floor(this.space.remaining / 20)),
      ...this.space.take(this.space.remaining),
    ];
    const total = countOf(parts);
    // As many by their size as half of the records allow; the other half is for those that end because of their runs.
    const size = Math.max(1, Math.ceil((2 * total) / most));
    let file: Clusters[] = [];
    let number = 0;
    const end = () => {
      if (file.length > 0) this.large(folder, `reel ${String(++number).padStart(4, '0')}.rec`, file, total);
      file = [];
    };
    for (const part of parts) {
      for (let { first, count } = part; count > 0;) {
        const here = Math.min(count, Math.max(1, size - countOf(file)));
        file.push({ first, count: here });
        first += here;
        count -= here;
        if (countOf(file) >= size || file.length >= MOST_RUNS) end();
      }
    }
    end();
  }

  private large(folder: string, name: string, parts: readonly Clusters[], total: number): void {
    const { clusterSize } = this.spec;
    const ref = this.newRef();
    const count = countOf(parts);
    const allocated = count * clusterSize;
    const size = allocated - Math.floor(this.random() * (clusterSize - 64));
    this.files++;
    const key = this.nameIn(folder, name, ref, { allocated, size, flags: FILE.archive });
    const data = nonResident(TYPE.data, runsOf(parts), { allocated, size, initialised: size });
    this.record(ref, false, [this.standard(FILE.archive), resident(TYPE.name, key, '', true), data]);
    const marks = Math.max(1, Math.round((MOST_MARKERS * count) / total));
    for (let i = 0; i < marks; i++) {
      const at = Math.floor((i * count) / marks);
      const text = `Saltmarsh Bench, ${folder}/${name}, mark ${i + 1} of ${marks} at cluster ${at}.\n`;
      this.contents.push({ parts, at: at * clusterSize, bytes: new TextEncoder().encode(text) });
    }
  }

  private readonly indexRoom = new Map<string, Clusters[]>();

  /** Enough for a folder's index, whatever names it will have: that of the large files is not known yet. */
  private roomForIndex(path: string, large: number): Clusters[] {
    const { entries } = this.folders.get(path)!;
    const later = path === '/Recordings' ? Math.ceil(large) : 0;
    const bytes = entries.reduce((sum, { key }) => sum + roundUp(0x10 + key.length, 8) + 8, 0) + later * 0x80;
    if (bytes < this.rootRoom() - 64) return [];
    const blocks = Math.ceil(bytes / 2600) + 2;
    return this.clustersFor(blocks * INDEX_BLOCK);
  }

  private rootRoom(): number {
    return Math.min(600, roomIn(this.recordSize) - 0x60 - 0x110);
  }

  private endFolders(): void {
    for (const [path, { ref, entries }] of this.folders) {
      if (path === '') {
        const key = fileName({
          parent: ROOT,
          name: '.',
          times: this.times,
          allocated: 0,
          size: 0,
          flags: FILE.hidden | FILE.system | FILE.folder,
        });
        entries.push({ name: '.', ref: ROOT, key });
      }
      this.endFolder(path, ref, entries);
    }
  }

  private endFolder(path: string, ref: Ref, entries: Folder['entries']): void {
    const { clusterSize } = this.spec;
    const sorted = [...entries].sort((a, b) => this.order(a.name, b.name));
    const index = buildIndex(
      sorted.map(({ ref: to, key }) => ({ head: headOf(to), key })),
      { type: TYPE.name, collation: 1, blockSize: INDEX_BLOCK, clusterSize, room: this.rootRoom() },
    );
    const cut = path.lastIndexOf('/');
    const key =
      path === ''
        ? entries.at(-1)!.key
        : this.folders.get(path.slice(0, cut))!.entries.find((one) => one.ref.number === ref.number)!.key;
    const flags = path === '' || path === '/$Extend' ? FILE.hidden | FILE.system : 0;
    const attributes = [
      this.standard(flags),
      resident(TYPE.name, key, '', true),
      resident(TYPE.root, index.root, '$I30'),
    ];
    const room = this.indexRoom.get(path) ?? [];
    if (index.blocks.length > 0 || room.length > 0) attributes.push(...this.indexBlocks(index.blocks, room));
    this.record(ref, true, attributes);
  }

  private indexBlocks(blocks: readonly Uint8Array[], parts: readonly Clusters[]): Attribute[] {
    const { clusterSize } = this.spec;
    const allocated = countOf(parts) * clusterSize;
    const count = Math.floor(allocated / INDEX_BLOCK);
    if (blocks.length > count) throw new NoSpace();
    const bytes = new Uint8Array(blocks.length * INDEX_BLOCK);
    const map = new Uint8Array(roundUp(Math.max(1, count / 8), 8));
    blocks.forEach((block, i) => {
      bytes.set(block, i * INDEX_BLOCK);
      map[i >> 3]! |= 1 << (i & 7);
    });
    this.contents.push({ parts, bytes });
    const size = count * INDEX_BLOCK;
    return [
      nonResident(TYPE.blocks, runsOf(parts), { allocated, size, initialised: size }, { name: '$I30' }),
      resident(TYPE.bitmap, map, '$I30'),
    ];
  }

  private async writeAll({ boot, mirror, mirrorBytes, mft, mftMap, most }: Places): Promise<void> {
    const { sectorSize, totalSectors } = this.spec;
    const map = new Uint8Array(roundUp(most / 8, 8));
    const table = new Uint8Array(most * this.recordSize);
    for (let number = 0; number < most; number++) {
      const record =
        this.records.get(number) ??
        fileRecord(this.recordSize, {
          number,
          sequence: 1,
          links: 0,
          folder: false,
          used: false,
          attributes: [],
        });
      table.set(record, number * this.recordSize);
      const used = this.records.has(number) && (number < 16 || number >= FIRST_OF_USERS);
      if (used) map[number >> 3]! |= 1 << (number & 7);
    }
    for (let number = most; number < 8 * map.length; number++) map[number >> 3]! |= 1 << (number & 7);
    this.contents.push({ parts: [mft], bytes: table });
    this.contents.push({ parts: [mirror], bytes: table.slice(0, mirrorBytes) });
    this.contents.push({ parts: mftMap, bytes: map });
    const sector = this.bootSector(mft, mirror);
    this.contents.push({ parts: [boot], bytes: sector });
    for (const content of this.contents) await this.put(content);
    const backup = new Uint8Array(this.device.sectorSize);
    backup.set(sector.subarray(0, sectorSize));
    await this.device.write(this.base + totalSectors * sectorSize, backup);
  }

  /** Writes a piece of a stream to its clusters, in whole sectors; what does not fill one ends in zeros. */
  private async put({ parts, bytes, at = 0 }: Content): Promise<void> {
    const { clusterSize } = this.spec;
    const unit = this.device.sectorSize;
    let before = 0;
    for (const { first, count } of parts) {
      const length = count * clusterSize;
      const from = Math.max(0, at - before);
      const until = Math.min(length, at + bytes.length - before);
      if (until > from) {
        const piece = new Uint8Array(roundUp(until - from, unit));
        piece.set(bytes.subarray(before + from - at, before + until - at));
        await this.device.write(this.base + first * clusterSize + from, piece);
      }
      before += length;
    }
  }

  private bootSector(mft: Clusters, mirror: Clusters): Uint8Array {
    const { sectorSize, clusterSize, totalSectors, hiddenSectors, seed } = this.spec;
    const bytes = new Uint8Array(sectorSize);
    const view = viewOf(bytes);
    const small = (size: number) => (size >= clusterSize ? size / clusterSize : 256 - Math.log2(size));
    const perCluster = clusterSize / sectorSize;
    bytes.set([0xeb, 0x52, 0x90]);
    bytes.set(new TextEncoder().encode('NTFS    '), 3);
    view.setUint16(0x0b, sectorSize, true);
    bytes[0x0d] = perCluster <= 128 ? perCluster : 256 - Math.log2(perCluster);
    bytes[0x15] = 0xf8;
    view.setUint16(0x18, 63, true);
    view.setUint16(0x1a, 255, true);
    view.setUint32(0x1c, hiddenSectors % 2 ** 32, true);
    view.setUint32(0x24, 0x00800080, true);
    view.setBigUint64(0x28, BigInt(totalSectors), true);
    view.setBigUint64(0x30, BigInt(mft.first), true);
    view.setBigUint64(0x38, BigInt(mirror.first), true);
    bytes[0x40] = small(this.recordSize);
    bytes[0x44] = small(INDEX_BLOCK);
    view.setUint32(0x48, Math.floor(randomFrom(seed)() * 2 ** 32), true);
    view.setUint32(0x4c, 0x47544944, true);
    view.setUint16(510, 0xaa55, true);
    return bytes;
  }
}

interface Places {
  boot: Clusters;
  mirror: Clusters;
  mirrorBytes: number;
  mft: Clusters;
  mftMap: Clusters[];
  /** Records that the $MFT has room for. */
  most: number;
}

const countOf = (parts: readonly Clusters[]): number => parts.reduce((sum, { count }) => sum + count, 0);

function headOf(ref: Ref): Uint8Array {
  const head = new Uint8Array(8);
  putRef(viewOf(head), 0, ref);
  return head;
}

/** A compression unit of one letter for each 4 KiB: each is a letter and one long repetition of it. */
function packedUnit(length: number, block: number): Uint8Array {
  const chunks = length / 4096;
  const bytes = new Uint8Array(6 * chunks + 2);
  for (let i = 0; i < chunks; i++)
    bytes.set([0x03, 0xb0, 0x02, 0x41 + ((block + i) % 26), 0xfc, 0x0f], 6 * i);
  return bytes;
}

function reparse(tag: number, target: string): Uint8Array {
  const symlink = tag === 0xa000000c;
  const path = units(symlink ? target.replaceAll('/', '\\') : `\\??\\C:${target.replaceAll('/', '\\')}`);
  const head = symlink ? 20 : 16;
  const bytes = new Uint8Array(head + 2 * path.length + 4);
  const view = viewOf(bytes);
  view.setUint32(0, tag, true);
  view.setUint16(4, bytes.length - 8, true);
  view.setUint16(10, path.length, true);
  view.setUint16(12, path.length + 2, true);
  view.setUint16(14, path.length, true);
  if (symlink) view.setUint32(16, 1, true);
  bytes.set(path, head);
  bytes.set(path, head + path.length + 2);
  return bytes;
}
