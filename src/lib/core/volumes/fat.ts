import { viewOf } from '../bytes';
import type { ByteSource } from '../images/source';
import { ExtentList } from './extentList';
import { decodeOem } from './oemText';

export interface FatFacts {
  fileSystem: 'fat16' | 'fat32';
  bytesPerSector: number;
  label: string;
  clusterSize: number;
  /** Bytes. */
  size: number;
  /** Bytes, or null where the table is too large to be counted while somebody waits. */
  used: number | null;
  /** Mark of a volume that was not taken down cleanly, in its boot sector or its allocation table. */
  dirty: boolean;
}

/** Facts of a boot sector of FAT; positions in bytes from the volume's start. */
export interface FatBoot {
  fileSystem: 'fat16' | 'fat32';
  bytesPerSector: number;
  clusterSize: number;
  size: number;
  clusters: number;
  /** The first allocation table. */
  fatAt: number;
  /** Bytes of an entry of it. */
  entryBytes: 2 | 4;
  /** The first cluster, which has number 2. */
  dataAt: number;
  /** Start of the root folder: a place of its own on FAT16, a cluster on FAT32. */
  root: { at: number; bytes: number } | { cluster: number };
  /** The dirty bit of the boot sector (domain facts 5). */
  dirtyBit: boolean;
}

/** Clusters that a volume of each type has, at least and at most (domain facts 5). */
export const FAT_CLUSTERS = { fat16: [4085, 65_524], fat32: [65_525, 0x0ffffff5] } as const;
const COUNTED_AT_MOST = 64 * 1024 * 1024;
const PIECE = 1024 * 1024;
/** A folder has at most 65,536 entries of 32 bytes. */
const MAX_ROOT_BYTES = 2 * 1024 * 1024;
const ENTRY_BYTES = 32;
/** Attributes of an entry of a folder: a label, and the four bits that together mark a part of a long name. */
const LABEL = 0x08;
const LONG_NAME = 0x0f;

/**
 * Recognises FAT16 and FAT32 by the boot sector's own figures and counts used clusters in the first
 * allocation table. FAT12 and anything implausible give null. The type follows from the number of clusters
 * (domain facts 5), not from the text in the sector; but small FAT32 volumes made on purpose exist, and only
 * FAT32 leaves the 16-bit size of the table empty.
 *
 * @param sector the boot sector to go by: the first, or its backup
 */
export async function readFat(source: ByteSource, sector: Uint8Array): Promise<FatFacts | null> {
  const boot = parseFatBoot(sector);
  if (!boot || boot.size > source.size) return null;
  const { fileSystem, bytesPerSector, clusterSize, size } = boot;
  const free = await freeClusters(source, boot);
  return {
    fileSystem,
    bytesPerSector,
    label: await rootLabel(source, boot),
    clusterSize,
    size,
    // The sectors before the first cluster belong to the file system and can't be given up: they count as used.
    used: free === null ? null : size - free * clusterSize,
    dirty: boot.dirtyBit || (await markedDirty(source, boot)),
  };
}

export function parseFatBoot(boot: Uint8Array): FatBoot | null {
  const view = viewOf(boot);
  const jump = boot[0] === 0xeb || boot[0] === 0xe9;
  const bytesPerSector = view.getUint16(11, true);
  const perCluster = boot[13]!;
  const reserved = view.getUint16(14, true);
  const fats = boot[16]!;
  const rootEntries = view.getUint16(17, true);
  const total = view.getUint16(19, true) || view.getUint32(32, true);
  const fatSectors16 = view.getUint16(22, true);
  const fatSectors = fatSectors16 || view.getUint32(36, true);
  const plausible =
    jump &&
    [512, 1024, 2048, 4096].includes(bytesPerSector) &&
    perCluster > 0 &&
    (perCluster & (perCluster - 1)) === 0 &&
    reserved > 0 &&
    (fats === 1 || fats === 2) &&
    fatSectors > 0 &&
    total > 0;
  if (!plausible) return null;

  const rootSectors = Math.ceil((rootEntries * ENTRY_BYTES) / bytesPerSector);
  const before = reserved + fats * fatSectors + rootSectors;
  const clusters = Math.floor((total - before) / perCluster);
  if (clusters < 1 || (clusters < 4085 && fatSectors16 !== 0)) return null;
  const fileSystem = fatSectors16 === 0 || clusters >= 65525 ? 'fat32' : 'fat16';
  const entryBytes = fileSystem === 'fat16' ? 2 : 4;
  if ((clusters + 2) * entryBytes > fatSectors * bytesPerSector) return null;
  const rootAt = (reserved + fats * fatSectors) * bytesPerSector;
  return {
    fileSystem,
    bytesPerSector,
    clusterSize: perCluster * bytesPerSector,
    size: total * bytesPerSector,
    clusters,
    fatAt: reserved * bytesPerSector,
    entryBytes,
    dataAt: before * bytesPerSector,
    root:
      fileSystem === 'fat16'
        ? { at: rootAt, bytes: rootEntries * ENTRY_BYTES }
        : { cluster: view.getUint32(44, true) },
    dirtyBit: (boot[fileSystem === 'fat16' ? 0x25 : 0x41]! & 1) === 1,
  };
}

/**
 * Entry 1 of the table keeps two bits set while the volume is clean and without errors of its medium (domain facts 5).
 */
async function markedDirty(source: ByteSource, { fatAt, entryBytes }: FatBoot): Promise<boolean> {
  const entry = await source.read(fatAt + entryBytes, entryBytes);
  const top = entry[entryBytes - 1]!;
  const sound = entryBytes === 2 ? 0xc0 : 0x0c;
  return (top & sound) !== sound;
}

/** The label as Windows keeps it: an entry of the root folder. The boot sector's own copy is not believed. */
async function rootLabel(source: ByteSource, boot: FatBoot): Promise<string> {
  if (!('cluster' in boot.root)) {
    const { at, bytes } = boot.root;
    return labelIn(await source.read(at, bytes)) ?? '';
  }
  const seen = new Set<number>();
  for (let cluster = boot.root.cluster; cluster >= 2 && cluster < boot.clusters + 2;) {
    // A chain that runs in a circle, or longer than any folder, ends here: a label stands among the first entries.
    if (seen.has(cluster) || seen.size * boot.clusterSize >= MAX_ROOT_BYTES) break;
    seen.add(cluster);
    const at = boot.dataAt + (cluster - 2) * boot.clusterSize;
    const label = labelIn(await source.read(at, boot.clusterSize));
    if (label !== null) return label;
    const entry = await source.read(boot.fatAt + 4 * cluster, 4);
    cluster = viewOf(entry).getUint32(0, true) & 0x0fffffff;
  }
  return '';
}

/** The label among some entries; '' where they end without one, null where more may follow. */
function labelIn(entries: Uint8Array): string | null {
  for (let at = 0; at + ENTRY_BYTES <= entries.length; at += ENTRY_BYTES) {
    if (entries[at] === 0) return '';
    const attributes = entries[at + 11]!;
    const deleted = entries[at] === 0xe5;
    if (deleted || (attributes & LONG_NAME) === LONG_NAME || (attributes & LABEL) === 0) continue;
    return decodeOem(entries.subarray(at, at + 11));
  }
  return null;
}

async function freeClusters(source: ByteSource, boot: FatBoot): Promise<number | null> {
  if ((boot.clusters + 2) * boot.entryBytes > COUNTED_AT_MOST) return null;
  let free = 0;
  for await (const { used } of usePieces(source, boot)) for (const one of used) if (one === FREE) free++;
  return free;
}

/**
 * What is in use of a FAT volume: all before the first cluster, and each cluster that the first table calls neither
 * free nor bad.
 */
export async function readFatExtents(source: ByteSource, boot: FatBoot): Promise<number[]> {
  const list = new ExtentList();
  list.add(0, boot.dataAt);
  for await (const { first, used } of usePieces(source, boot)) {
    used.forEach((one, i) => {
      if (one === IN_USE) list.add(boot.dataAt + (first + i) * boot.clusterSize, boot.clusterSize);
    });
  }
  return list.extents;
}

const FREE = 0;
const IN_USE = 1;
/** Volume that can't be read, and holds nothing. */
const BAD = 2;

/** For each cluster, counted from 0, whether it is free, in use or bad, piece by piece. */
async function* usePieces(
  source: ByteSource,
  { fatAt, clusters, entryBytes }: FatBoot,
): AsyncGenerator<{ first: number; used: Uint8Array }> {
  const length = (clusters + 2) * entryBytes;
  for (let at = 2 * entryBytes; at < length; at += PIECE) {
    const piece = await source.read(fatAt + at, Math.min(PIECE, length - at));
    const used = new Uint8Array(piece.length / entryBytes);
    // The upper four bits of a FAT32 entry are not part of its value.
    const top = entryBytes === 4 ? 0x0f : 0xff;
    for (let i = 0; i < piece.length; i += entryBytes) {
      const last = piece[i + entryBytes - 1]! & top;
      const low = entryBytes === 4 ? piece[i]! | piece[i + 1]! | piece[i + 2]! : piece[i]!;
      // Next to the last values, which end a chain: 0x0FFFFFF7, and 0xFFF7 on FAT16.
      const middle = entryBytes === 4 ? piece[i + 1]! & piece[i + 2]! : 0xff;
      const isBad = piece[i] === 0xf7 && middle === 0xff && last === top;
      used[i / entryBytes] = (low | last) === 0 ? FREE : isBad ? BAD : IN_USE;
    }
    yield { first: at / entryBytes - 2, used };
  }
}
