import { latin1, viewOf } from '../bytes';
import type { ByteSource } from '../images/source';
import { ExtentList } from './extentList';
import { textOfUnits } from '../wellFormed';

export interface ExfatFacts {
  bytesPerSector: number;
  clusterSize: number;
  size: number;
  /** Bytes, or null where the allocation bitmap can't be found. */
  used: number | null;
  label: string;
  dirty: boolean;
}

/** Facts of a boot sector of exFAT; positions in bytes from the volume's start. */
export interface ExfatBoot {
  bytesPerSector: number;
  clusterSize: number;
  size: number;
  fatAt: number;
  heapAt: number;
  clusters: number;
  root: number;
  /** Number of the bitmap that counts. */
  active: 0 | 1;
  dirty: boolean;
}

const ENTRY = { bitmap: 0x81, label: 0x83 } as const;
/** Volume flags: the second table and bitmap count; not taken down cleanly; the medium failed (exFAT 3.1.13). */
const FLAG = { active: 1, dirty: 2, failed: 4 } as const;
const MAX_BITMAP = 128 * 1024 * 1024;
/** Bitmap and label stand among the first entries. */
const MAX_ROOT_BYTES = 1024 * 1024;
const PIECE = 1024 * 1024;
/** Entries of the table that are read at once. */
const TABLE_PIECE = 4096;
/** A boot region: the boot sector, what belongs to it, and in its last sector the checksum of all before. */
export const REGION_SECTORS = 12;

/**
 * Reads size, label, dirty flag and used clusters of an exFAT volume: its root directory names the allocation bitmap.
 * The boot sector's own "percent in use" is a hint at best and is not believed. null where the boot sector
 * can't be right.
 *
 * @param sector the boot sector to go by: the first, or its backup
 */
export async function readExfat(source: ByteSource, sector: Uint8Array): Promise<ExfatFacts | null> {
  const boot = parseExfatBoot(sector);
  if (!boot || boot.size > source.size) return null;
  const { bytesPerSector, clusterSize, size, clusters, dirty } = boot;
  const facts: ExfatFacts = { bytesPerSector, clusterSize, size, used: null, label: '', dirty };
  for await (const entry of rootEntries(source, boot)) {
    const record = viewOf(entry);
    if (entry[0] === ENTRY.label) {
      const units = Math.min(11, record.getUint8(1));
      facts.label = textOfUnits(entry.subarray(2, 2 + 2 * units));
    }
    if (entry[0] === ENTRY.bitmap && (record.getUint8(1) & 1) === boot.active) {
      const free = await countFree(source, boot, record.getUint32(20, true));
      // Room before the cluster heap belongs to the file system: it counts as used.
      facts.used = free === null ? null : size - free * clusterSize;
    }
    if (facts.label !== '' && facts.used !== null) break;
  }
  return clusters > 0 ? facts : null;
}

/**
 * The boot sector of the region that is sound: the first, or its backup behind (exFAT 3.1 and 3.4); null: neither.
 * Windows does not open a volume whose first region has a wrong checksum.
 */
export async function findSoundExfatBoot(
  source: ByteSource,
): Promise<{ sector: Uint8Array; backupAt: number | null } | null> {
  for (const bytesPerSector of [512, 1024, 2048, 4096]) {
    const length = REGION_SECTORS * bytesPerSector;
    for (const at of [0, length]) {
      if (at + length > source.size) continue;
      const region = await source.read(at, length);
      const name = latin1(region.subarray(3, 11));
      if (name !== 'EXFAT   ' || 2 ** region[108]! !== bytesPerSector) continue;
      if (isSound(region, bytesPerSector)) {
        return { sector: region.subarray(0, 512), backupAt: at === 0 ? null : at / bytesPerSector };
      }
    }
  }
  return null;
}

const isSound = (region: Uint8Array, bytesPerSector: number): boolean =>
  viewOf(region).getUint32((REGION_SECTORS - 1) * bytesPerSector, true) ===
  computeExfatBootSum(region, bytesPerSector);

/**
 * A 32-bit sum of the first eleven sectors, each byte added after a turn to the right, but for the flags and the use in
 * percent.
 */
export function computeExfatBootSum(region: Uint8Array, bytesPerSector: number): number {
  let sum = 0;
  const end = (REGION_SECTORS - 1) * bytesPerSector;
  for (let at = 0; at < end; at++) {
    if (at === 106 || at === 107 || at === 112) continue;
    sum = (((sum << 31) | (sum >>> 1)) + region[at]!) >>> 0;
  }
  return sum;
}

export function parseExfatBoot(sector: Uint8Array): ExfatBoot | null {
  const view = viewOf(sector);
  const sectorShift = view.getUint8(108);
  const clusterShift = view.getUint8(109);
  if (sectorShift < 9 || sectorShift > 12 || clusterShift > 25 - sectorShift) return null;
  const bytesPerSector = 2 ** sectorShift;
  const clusterSize = bytesPerSector * 2 ** clusterShift;
  const size = Number(view.getBigUint64(72, true)) * bytesPerSector;
  const heapAt = view.getUint32(88, true) * bytesPerSector;
  const clusters = view.getUint32(92, true);
  const root = view.getUint32(96, true);
  const flags = view.getUint16(106, true);
  if (clusters === 0 || root < 2 || root > clusters + 1) return null;
  if (heapAt + clusters * clusterSize > size) return null;
  return {
    bytesPerSector,
    clusterSize,
    size,
    fatAt: view.getUint32(80, true) * bytesPerSector,
    heapAt,
    clusters,
    root,
    active: view.getUint8(110) === 2 && (flags & FLAG.active) !== 0 ? 1 : 0,
    dirty: (flags & (FLAG.dirty | FLAG.failed)) !== 0,
  };
}

/** The clusters of a chain, in order, at most `most`; it ends where the table ends it, or where it runs in a circle. */
export async function* readExfatChain(
  source: ByteSource,
  { fatAt, clusters }: ExfatBoot,
  first: number,
  most: number,
): AsyncGenerator<number> {
  let cluster = first;
  // A piece of the table at a time: entries that follow each other are the rule.
  let piece: { at: number; bytes: Uint8Array } = { at: -1, bytes: new Uint8Array(0) };
  for (let count = 0; count < most && cluster >= 2 && cluster <= clusters + 1; count++) {
    yield cluster;
    const at = Math.floor(cluster / TABLE_PIECE) * TABLE_PIECE;
    if (piece.at !== at) {
      const entries = Math.min(TABLE_PIECE, clusters + 2 - at);
      piece = { at, bytes: await source.read(fatAt + 4 * at, 4 * entries) };
    }
    cluster = viewOf(piece.bytes).getUint32(4 * (cluster - at), true);
  }
}

export const locateExfatCluster = ({ heapAt, clusterSize }: ExfatBoot, cluster: number): number =>
  heapAt + (cluster - 2) * clusterSize;

async function* rootEntries(source: ByteSource, boot: ExfatBoot): AsyncGenerator<Uint8Array> {
  const most = Math.ceil(MAX_ROOT_BYTES / boot.clusterSize);
  for await (const cluster of readExfatChain(source, boot, boot.root, most)) {
    const bytes = await source.read(
      locateExfatCluster(boot, cluster),
      Math.min(boot.clusterSize, MAX_ROOT_BYTES),
    );
    for (let at = 0; at + 32 <= bytes.length; at += 32) {
      if (bytes[at] === 0) return;
      yield bytes.subarray(at, at + 32);
    }
  }
}

/** Clusters whose bit is not set, along the bitmap's own chain; null where it is too long or ends early. */
async function countFree(source: ByteSource, boot: ExfatBoot, first: number): Promise<number | null> {
  let used = 0;
  const whole = await eachBitmapPiece(source, boot, first, (piece, before) => {
    piece.forEach((byte, i) => {
      const bits = Math.min(8, boot.clusters - 8 * (before + i));
      for (let rest = byte & ((1 << bits) - 1); rest; rest &= rest - 1) used++;
    });
  });
  return whole ? boot.clusters - used : null;
}

/** Gives the bitmap's pieces with the bytes before each; false where it is too long or ends early. */
async function eachBitmapPiece(
  source: ByteSource,
  boot: ExfatBoot,
  first: number,
  take: (piece: Uint8Array, before: number) => void,
): Promise<boolean> {
  const { clusters, clusterSize } = boot;
  const bytes = Math.ceil(clusters / 8);
  if (bytes > MAX_BITMAP) return false;
  let done = 0;
  for await (const cluster of readExfatChain(source, boot, first, Math.ceil(bytes / clusterSize))) {
    const inCluster = Math.min(clusterSize, bytes - done);
    for (let at = 0; at < inCluster; at += PIECE) {
      take(
        await source.read(locateExfatCluster(boot, cluster) + at, Math.min(PIECE, inCluster - at)),
        done + at,
      );
    }
    done += inCluster;
  }
  return done >= bytes;
}

/**
 * What is in use of an exFAT volume: all before the cluster heap, and what its bitmap says; null where that can't be
 * read.
 */
export async function readExfatExtents(source: ByteSource, sector: Uint8Array): Promise<number[] | null> {
  const boot = parseExfatBoot(sector);
  if (!boot || boot.size > source.size) return null;
  for await (const entry of rootEntries(source, boot)) {
    const record = viewOf(entry);
    if (entry[0] !== ENTRY.bitmap || (record.getUint8(1) & 1) !== boot.active) continue;
    const list = new ExtentList();
    list.add(0, boot.heapAt);
    const whole = await eachBitmapPiece(source, boot, record.getUint32(20, true), (piece, before) => {
      const count = Math.min(8 * piece.length, boot.clusters - 8 * before);
      list.addBits(piece, count, boot.heapAt + 8 * before * boot.clusterSize, boot.clusterSize);
    });
    return whole ? list.extents : null;
  }
  return null;
}
