import type { Device } from '../devices/device';
import { partitionsNow, tableNow, type PartitionNow } from '../table/tableNow';
import { failure, success, type Outcome } from '../../problem';
import { kindOf, type Kind } from '../volumes/usedExtents';
import { TYPE } from '../../disk';
import { Broken } from '../check/parse';
import { fingerprint, type Content, type NewHash } from './content';
import { fatFiles } from './fatFiles';
import { ntfsFiles, type FileFact } from './ntfsFiles';

/** All files of a volume. */
export interface Manifest {
  files: number;
  /** Of all streams. */
  bytes: number;
  /** SHA-256 over all lines in the order of their paths. */
  digest: string;
  /** What is known of each, by path. */
  facts: Record<string, string>;
}

/** What a partition holds, as evidence. */
export interface Holding {
  /** GUID, or null (MBR). */
  id: string | null;
  kind: PartitionNow['kind'];
  type: string;
  first: number;
  sectors: number;
  fileSystem: Kind | null;
  /** Fingerprint of all its bytes; null where nothing in it counts (reserved), or it is a frame. */
  fingerprint: string | null;
  /** Files, where they can be read: NTFS and FAT. */
  manifest: Manifest | null;
}

/** What a whole disk holds. */
export interface Stock {
  sectors: number;
  partitions: Holding[];
}

export interface StockOptions {
  newHash: NewHash;
  fingerprintAbove: number | null;
  /** Bytes looked at since the last call; stops by throwing. */
  progress?: (bytes: number) => Promise<void>;
}

/**
 * Takes down everything that a disk holds.
 *
 * Problem codes: those of `tableNow`, `unreadable` (a volume's files can't be listed).
 */
export async function takeStock(disk: Device, options: StockOptions): Promise<Outcome<Stock>> {
  const table = await tableNow(disk);
  if (!table.ok) return table;
  const partitions: Holding[] = [];
  for (const partition of partitionsNow(table.value).sort((a, b) => a.first - b.first)) {
    try {
      partitions.push(await holding(disk, partition, options));
    } catch (error) {
      if (!(error instanceof Broken)) throw error;
      return failure({
        code: 'unreadable',
        path: '',
        message: `The files of the partition at sector ${partition.first} can’t be listed: ${error.message}.`,
      });
    }
  }
  return success({ sectors: Math.floor(disk.size / disk.sectorSize), partitions });
}

async function holding(disk: Device, partition: PartitionNow, options: StockOptions): Promise<Holding> {
  const { id, kind, type, first, sectors } = partition;
  const bare: Holding = {
    id,
    kind,
    type,
    first,
    sectors,
    fileSystem: null,
    fingerprint: null,
    manifest: null,
  };
  if (kind === 'extended' || type === TYPE.reserved) return bare;
  const content = part(disk, first * disk.sectorSize, sectors * disk.sectorSize);
  const fileSystem = await kindOf(content);
  const gate = options.progress ?? (async () => {});
  return {
    ...bare,
    fileSystem,
    fingerprint: await fingerprint(options.newHash, content, 0, content.size, gate),
    manifest: await manifestOf(content, fileSystem, { ...options, gate }),
  };
}

/** The files of a volume; null where it is none whose files can be read. @throws Broken */
export async function manifestOf(
  content: Content,
  fileSystem: Kind,
  options: StockOptions & { gate: (bytes: number) => Promise<void> },
): Promise<Manifest | null> {
  if (fileSystem !== 'ntfs' && fileSystem !== 'fat') return null;
  const facts: Record<string, string> = {};
  let bytes = 0;
  let files = 0;
  let seen = 0;
  for await (const one of fileSystem === 'ntfs' ? ntfsFiles(content, options) : fatFiles(content, options)) {
    facts[one.path] = lineOf(one);
    bytes += one.size;
    // Files that lie in their records ask for nothing to be read, and there may be many of them.
    if (one.counts) files++;
    if (++seen % 200 === 0) await options.gate(0);
  }
  const paths = Object.keys(facts).sort();
  const hash = options.newHash();
  const text = new TextEncoder();
  for (const path of paths) hash.update(text.encode(`${facts[path]} ${JSON.stringify(path)}\n`));
  return { files, bytes, digest: hash.digest(), facts };
}

const lineOf = ({ kind, hash, size, facts }: FileFact): string => `${kind} ${hash || '-'} ${size} ${facts}`;

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
