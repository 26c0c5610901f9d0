import { concatBytes, viewOf } from '../../bytes';
import { parseFatBoot, type FatBoot } from '../../volumes/fat';
import { decodeOem } from '../../volumes/oemText';
import { BrokenVolume } from './ntfsRecords';
import { hashOf, numbers, type Content, type ReadBytes } from './content';
import type { FileFact, FileOptions } from './ntfsFiles';

const ENTRY = 32;
const FLAG = { label: 0x08, folder: 0x10, longName: 0x0f } as const;
const DELETED = 0xe5;
const MAX_DEPTH = 128;
const MAX_ENTRIES = 2_000_000;
const MAX_TABLE = 512 * 2 ** 20;
const PIECE = 4 * 2 ** 20;

/** Every file of a FAT16 or FAT32 volume with its long name, where it has one. @throws Broken where it can't be read */
export async function* readFatFiles(content: Content, options: FileOptions): AsyncGenerator<FileFact> {
  const boot = parseFatBoot(await content.read(0, 512));
  if (!boot) throw new BrokenVolume('the boot sector holds impossible values');
  const tableBytes = (boot.clusters + 2) * boot.entryBytes;
  if (tableBytes > MAX_TABLE) throw new BrokenVolume('its allocation table is larger than is followed here');
  const table = await content.read(
    boot.fatAt,
    Math.ceil(tableBytes / boot.bytesPerSector) * boot.bytesPerSector,
  );
  const walk = new FatWalk(content, boot, table, options);
  const root =
    'cluster' in boot.root
      ? await walk.chainBytes(boot.root.cluster)
      : await content.read(boot.root.at, boot.root.bytes);
  yield* walk.folder(root, '/', 0);
}

class FatWalk {
  private entries = 0;
  private readonly view: DataView;

  constructor(
    private readonly content: Content,
    private readonly boot: FatBoot,
    table: Uint8Array,
    private readonly options: FileOptions,
  ) {
    this.view = viewOf(table);
  }

  async *folder(bytes: Uint8Array, path: string, depth: number): AsyncGenerator<FileFact> {
    if (depth > MAX_DEPTH) throw new BrokenVolume('folders lie in each other deeper than any');
    let long = '';
    for (let at = 0; at + ENTRY <= bytes.length && bytes[at] !== 0; at += ENTRY) {
      if (++this.entries > MAX_ENTRIES) throw new BrokenVolume('a volume has more names than are followed');
      const entry = bytes.subarray(at, at + ENTRY);
      const flags = entry[11]!;
      if (entry[0] === DELETED) long = '';
      else if ((flags & FLAG.longName) === FLAG.longName) long = longPart(entry) + long;
      else if (flags & FLAG.label) long = '';
      else {
        const name = long.replace(/\0.*$/s, '') || shortName(entry);
        long = '';
        if (name === '.' || name === '..') continue;
        yield* this.one(entry, path + name, depth);
      }
    }
  }

  private async *one(entry: Uint8Array, path: string, depth: number): AsyncGenerator<FileFact> {
    const view = viewOf(entry);
    const cluster =
      view.getUint16(26, true) + (this.boot.entryBytes === 4 ? view.getUint16(20, true) * 65536 : 0);
    const facts = [entry[11]!, ...entry.subarray(13, 18), ...entry.subarray(22, 26)]
      .map((byte) => byte.toString(16).padStart(2, '0'))
      .join('');
    if (entry[11]! & FLAG.folder) {
      yield { path: `${path}/`, size: 0, kind: 'folder', hash: '', counts: false, facts };
      yield* this.folder(await this.chainBytes(cluster), `${path}/`, depth + 1);
      return;
    }
    const size = view.getUint32(28, true);
    const { newHash, newStreamHash, gate } = this.options;
    const runs = size === 0 ? [] : this.runs(cluster, size);
    const last = runs.at(-1);
    if (!this.options.reads(last ? last.at + last.length : 0, path)) {
      const places = newHash();
      for (const { at, length } of runs) places.update(numbers(at, length));
      yield { path, size, kind: 'placed', hash: places.digest(), counts: true, facts };
      return;
    }
    const hash = await hashOf(newStreamHash(size), this.pieces(runs, size), gate);
    yield { path, size, kind: 'bytes', hash, counts: true, facts };
  }

  /** A folder's bytes, along its chain. */
  async chainBytes(first: number): Promise<Uint8Array> {
    const parts: Uint8Array[] = [];
    for (const { at, length } of this.runs(first, 64 * 2 ** 20))
      parts.push(await this.content.read(at, length));
    return concatBytes(parts);
  }

  private *pieces(runs: readonly { at: number; length: number }[], size: number): Generator<ReadBytes> {
    let left = size;
    for (const { at, length } of runs) {
      for (let done = 0; done < length && left > 0; done += PIECE) {
        const take = Math.min(PIECE, length - done, left);
        const whole = Math.min(
          length - done,
          Math.ceil(take / this.boot.bytesPerSector) * this.boot.bytesPerSector,
        );
        yield async () => (await this.content.read(at + done, whole)).subarray(0, take);
        left -= take;
      }
    }
    if (left > 0) throw new BrokenVolume('a file is longer than its chain');
  }

  /** A chain as runs of bytes of the volume, clusters that follow each other joined. */
  private runs(first: number, most: number): { at: number; length: number }[] {
    const { clusterSize, dataAt, clusters, entryBytes } = this.boot;
    const runs: { at: number; length: number }[] = [];
    let bytes = 0;
    for (let cluster = first; cluster >= 2 && cluster < clusters + 2;) {
      if (bytes >= Math.ceil(most / clusterSize) * clusterSize) {
        if (most === 64 * 2 ** 20) throw new BrokenVolume('a chain runs in a circle');
        break;
      }
      const at = dataAt + (cluster - 2) * clusterSize;
      const last = runs.at(-1);
      if (last && last.at + last.length === at) last.length += clusterSize;
      else runs.push({ at, length: clusterSize });
      bytes += clusterSize;
      cluster =
        entryBytes === 4
          ? this.view.getUint32(4 * cluster, true) & 0x0fffffff
          : this.view.getUint16(2 * cluster, true);
    }
    return runs;
  }
}

function longPart(entry: Uint8Array): string {
  const view = viewOf(entry);
  let out = '';
  for (const at of [1, 3, 5, 7, 9, 14, 16, 18, 20, 22, 24, 28, 30])
    out += String.fromCharCode(view.getUint16(at, true));
  return out;
}

function shortName(entry: Uint8Array): string {
  const base = decodeOem(entry.subarray(0, 8));
  const extension = decodeOem(entry.subarray(8, 11));
  return extension === '' ? base : `${base}.${extension}`;
}
