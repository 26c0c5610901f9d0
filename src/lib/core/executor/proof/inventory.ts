import { TYPE } from '../../disk';
import { failure, success, type Outcome } from '../../problem';
import type { Step } from '../../steps';
import { parseFatBoot } from '../../volumes/fat';
import { BrokenVolume } from './ntfsRecords';
import { DeviceFailure, type Device, type Stretch } from '../devices/device';
import { listPartitionsNow, readTableNow, type PartitionNow } from '../table/tableNow';
import { kindOf, findUsedExtents, type Kind } from '../volumes/usedExtents';
import {
  fingerprint,
  hashInto,
  numbers,
  readsOf,
  stretchesOf,
  type Content,
  type Gate,
  type NewHash,
  type NewStreamHash,
} from './content';
import { readFatFiles } from './fatFiles';
import { readNtfsFiles, type FileFact } from './ntfsFiles';
import { movedOf, type Moved } from './moved';

/** All files of a volume. */
export interface VolumeManifest {
  files: number;
  /** Sum over all streams. */
  bytes: number;
  /** Hash over all lines in the order of their paths. */
  digest: string;
  /** Facts of each, by path. */
  facts: Record<string, string>;
  /** Streams whose bytes were read, where not all or none of them were. */
  read: string[] | null;
}

/** Content of a partition, as evidence. */
export interface Holding {
  /** GUID, or null (MBR). */
  id: string | null;
  kind: PartitionNow['kind'];
  type: string;
  first: number;
  sectors: number;
  fileSystem: Kind | null;
  /** The steps' effect on its bytes. */
  moved: Moved;
  /**
   * Of what is the same to the byte where no step is about it: all that is in use, or the file system's structures.
   * null: of nothing.
   */
  untouched: string | null;
  /** Hash of everything in use, where files can't be listed; without boot sectors that name the partition's start. */
  content: string | null;
  /** Files, where they can be listed: NTFS and FAT. */
  manifest: VolumeManifest | null;
  /** Clusters that its file system counts as bad; they hold nothing and are not read. */
  bad: number;
}

/** Extent of reading a disk: moved content, and of the rest tables and structures; or everything in use. */
export const EXTENTS = ['quick', 'whole'] as const;

/** Content of a whole disk. */
export interface Inventory {
  extent: (typeof EXTENTS)[number];
  sectors: number;
  partitions: Holding[];
}

export interface InventoryOptions {
  newHash: NewHash;
  /** For contents; default the same. */
  newStreamHash?: NewStreamHash;
  extent: Inventory['extent'];
  /** The route that is carried out between the two inventories. */
  steps: readonly Step[];
  /** The inventory from before the route; null: this is the one. The same is read again. */
  before: Inventory | null;
  /** Streams longer than this get a fingerprint, which skips what is empty; null: none does. Bytes. */
  fingerprintAbove: number | null;
  /** Bytes looked at since the last call; stops by throwing. */
  progress?: Gate;
}

/**
 * Takes down what a disk holds. Only what is in use is read, and no byte of a file twice.
 *
 * Problem codes: those of `tableNow`, `unreadable` (files of a volume can't be listed, or a sector in use can't be
 * read).
 */
export async function takeInventory(disk: Device, options: InventoryOptions): Promise<Outcome<Inventory>> {
  const table = await readTableNow(disk);
  if (!table.ok) return table;
  const partitions: Holding[] = [];
  for (const partition of listPartitionsNow(table.value).sort((a, b) => a.first - b.first)) {
    try {
      partitions.push(await holding(disk, partition, options));
    } catch (error) {
      const reason = reasonOf(error);
      if (reason === null) throw error;
      return failure({
        code: 'unreadable',
        path: '',
        message: `What the partition at sector ${partition.first} holds can’t be taken down: ${reason}`,
      });
    }
  }
  return success({
    extent: options.extent,
    sectors: Math.floor(disk.size / disk.sectorSize),
    partitions,
  });
}

function reasonOf(error: unknown): string | null {
  if (error instanceof BrokenVolume) return `${error.message}.`;
  return error instanceof DeviceFailure && error.code === 'read-error' ? error.message : null;
}

async function holding(disk: Device, partition: PartitionNow, options: InventoryOptions): Promise<Holding> {
  const { id, kind, type, first, sectors } = partition;
  const moved = movedOf(partition, disk.sectorSize, options);
  const bare = { id, kind, type, first, sectors, moved, bad: 0 };
  const nothing = { fileSystem: null, untouched: null, content: null, manifest: null };
  if (kind === 'extended' || type === TYPE.reserved) return { ...bare, ...nothing };
  const content = part(disk, first * disk.sectorSize, sectors * disk.sectorSize);
  const fileSystem = await kindOf(content);
  const gate: Gate = options.progress ?? (async () => {});
  const whole = options.extent === 'whole';
  switch (fileSystem) {
    case 'ntfs':
    case 'fat': {
      const known = options.before?.partitions.find(({ first: was }) => was === moved.from)?.manifest?.read;
      // A FAT volume whose size changes may move files anywhere; such volumes are small.
      const all = whole || (fileSystem === 'fat' && moved.touched);
      const reads = readsBy(moved, all, known ?? null);
      const listed = await listedFiles(content, fileSystem, { ...options, reads, gate });
      const manifest = manifestFrom(listed.files, options.newHash);
      const { bad, structures, records } = listed;
      const untouched = moved.touched
        ? null
        : await digestOf(content, structures, options.newHash, gate, records);
      return {
        ...bare,
        fileSystem,
        untouched,
        content: null,
        bad,
        manifest: { ...manifest, read: typeof moved.bytes === 'object' && !whole ? listed.read : null },
      };
    }
    case 'exfat':
    case 'unknown': {
      const { extents } = await findUsedExtents(content, disk.sectorSize);
      const used = stretchesOf(extents);
      const read = whole || moved.bytes === 'all';
      const front = [{ offset: 0, length: Math.min(FRONT, content.size) }];
      const untouched = moved.touched
        ? null
        : await fingerprint(options.newHash, content, gate, read ? used : front);
      return {
        ...bare,
        fileSystem,
        untouched,
        content:
          read && moved.touched
            ? await fingerprint(options.newHash, content, gate, behindBoot(used, fileSystem))
            : null,
        manifest: null,
      };
    }
  }
}

/** Front of a volume that is read where its structures are not known and no step is about it. Bytes. */
const FRONT = 64 * 1024;
/** Both boot regions of exFAT, with sectors of any size: what names the partition's start lies in them. */
const EXFAT_BOOT = 24 * 4096;

const behindBoot = (used: readonly Stretch[], fileSystem: Kind): Stretch[] =>
  fileSystem !== 'exfat'
    ? [...used]
    : used.flatMap(({ offset, length }) => {
        const from = Math.max(EXFAT_BOOT, offset);
        return offset + length > from ? [{ offset: from, length: offset + length - from }] : [];
      });

/** @param known streams that were read before; null: that is not known */
function readsBy(moved: Moved, whole: boolean, known: readonly string[] | null) {
  if (whole || moved.bytes === 'all') return () => true;
  if (moved.bytes === 'none') return () => false;
  const { beyond } = moved.bytes;
  if (known === null) return (end: number) => end > beyond;
  const keys = new Set(known);
  return (_: number, key: string) => keys.has(key);
}

interface Listed {
  files: FileFact[];
  read: string[];
  /** A digest of file records, which were read already; null: there are none. */
  records: string | null;
  bad: number;
  structures: Stretch[];
}
type ListOptions = Pick<InventoryOptions, 'newHash' | 'newStreamHash' | 'fingerprintAbove'> & {
  reads: (end: number, key: string) => boolean;
  gate: Gate;
};

async function listedFiles(
  content: Content,
  fileSystem: 'ntfs' | 'fat',
  options: ListOptions,
): Promise<Listed> {
  const whole = { ...options, newStreamHash: options.newStreamHash ?? options.newHash };
  if (fileSystem === 'ntfs') return readNtfsFiles(content, whole);
  const files: FileFact[] = [];
  for await (const one of readFatFiles(content, whole)) files.push(one);
  // Tables and the root folder of FAT lie at its front; other folders are told by what is listed.
  const { dataAt } = parseFatBoot(await content.read(0, 512))!;
  return { files, read: [], records: null, bad: 0, structures: [{ offset: 0, length: dataAt }] };
}

/** The files of a volume with every byte of them; null where it is none whose files can be listed. @throws Broken */
export async function manifestOf(
  content: Content,
  fileSystem: Kind,
  options: Omit<ListOptions, 'reads'>,
): Promise<VolumeManifest | null> {
  if (fileSystem !== 'ntfs' && fileSystem !== 'fat') return null;
  const { files } = await listedFiles(content, fileSystem, { ...options, reads: () => true });
  return { ...manifestFrom(files, options.newHash), read: null };
}

function manifestFrom(list: readonly FileFact[], newHash: NewHash): Omit<VolumeManifest, 'read'> {
  const facts: Record<string, string> = {};
  let bytes = 0;
  let files = 0;
  for (const { path, kind, hash, size, counts, facts: more } of list) {
    facts[path] = `${kind} ${hash || '-'} ${size} ${more}`;
    bytes += size;
    if (counts) files++;
  }
  const hash = newHash();
  const text = new TextEncoder();
  for (const path of Object.keys(facts).sort())
    hash.update(text.encode(`${facts[path]} ${JSON.stringify(path)}\n`));
  return { files, bytes, digest: hash.digest(), facts };
}

/** Some stretches of a volume with their places. */
async function digestOf(
  content: Content,
  stretches: readonly Stretch[],
  newHash: NewHash,
  gate: Gate,
  records: string | null,
): Promise<string> {
  const hash = newHash();
  hash.update(new TextEncoder().encode(records ?? ''));
  const inside = stretches.filter(({ offset, length }) => offset + length <= content.size);
  for (const { offset, length } of inside) hash.update(numbers(offset, length));
  await hashInto(hash, readsOf(content, inside), gate);
  return hash.digest();
}

/** A stretch of a device as content of its own. */
export const part = (disk: Device, base: number, size: number): Content => ({
  size,
  read: (offset, length) => disk.read(base + offset, length),
  async stretches(offset, length) {
    const { sectorSize } = disk;
    const from = Math.floor((base + offset) / sectorSize) * sectorSize;
    const to = Math.ceil((base + offset + length) / sectorSize) * sectorSize;
    const found = await disk.stretches(from, to - from);
    return found.map((one) => ({ offset: one.offset - base, length: one.length }));
  },
});
