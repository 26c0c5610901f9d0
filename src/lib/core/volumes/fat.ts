import type { ByteSource } from '../images/source';

export interface FatFacts {
  fileSystem: 'fat16' | 'fat32';
  label: string;
  clusterSize: number;
  /** Bytes. */
  size: number;
  /** Bytes, or null where the table is too large to be counted while somebody waits. */
  used: number | null;
}

const COUNTED_AT_MOST = 64 * 1024 * 1024;
const PIECE = 1024 * 1024;

/**
 * Recognises FAT16 and FAT32 by the boot sector's own figures and counts used clusters in the first
 * allocation table. FAT12 and anything implausible give null. The type follows from the number of clusters
 * (domain facts 5), not from the text in the sector; but small FAT32 volumes made on purpose exist, and only
 * FAT32 leaves the 16-bit size of the table empty.
 */
export async function readFat(source: ByteSource): Promise<FatFacts | null> {
  const boot = await source.read(0, 512);
  const view = new DataView(boot.buffer, boot.byteOffset, boot.byteLength);
  const jump = boot[0] === 0xeb || boot[0] === 0xe9;
  const sectorSize = view.getUint16(11, true);
  const perCluster = boot[13]!;
  const reserved = view.getUint16(14, true);
  const fats = boot[16]!;
  const rootEntries = view.getUint16(17, true);
  const total = view.getUint16(19, true) || view.getUint32(32, true);
  const fatSectors16 = view.getUint16(22, true);
  const fatSectors = fatSectors16 || view.getUint32(36, true);
  const plausible =
    jump &&
    [512, 1024, 2048, 4096].includes(sectorSize) &&
    perCluster > 0 &&
    (perCluster & (perCluster - 1)) === 0 &&
    reserved > 0 &&
    (fats === 1 || fats === 2) &&
    fatSectors > 0 &&
    total > 0;
  if (!plausible || total * sectorSize > source.size) return null;

  const rootSectors = Math.ceil((rootEntries * 32) / sectorSize);
  const clusters = Math.floor((total - reserved - fats * fatSectors - rootSectors) / perCluster);
  if (clusters < 1 || (clusters < 4085 && fatSectors16 !== 0)) return null;
  const fileSystem = fatSectors16 === 0 || clusters >= 65525 ? 'fat32' : 'fat16';
  const entryBytes = fileSystem === 'fat16' ? 2 : 4;
  if ((clusters + 2) * entryBytes > fatSectors * sectorSize) return null;

  const labelAt = fileSystem === 'fat16' ? 43 : 71;
  const label = new TextDecoder('latin1').decode(boot.subarray(labelAt, labelAt + 11)).trim();
  const free = await freeClusters(source, reserved * sectorSize, clusters, entryBytes);
  return {
    fileSystem,
    label: label === 'NO NAME' ? '' : label,
    clusterSize: perCluster * sectorSize,
    size: total * sectorSize,
    // The sectors before the first cluster belong to the file system and can't be given up: they count as used.
    used: free === null ? null : total * sectorSize - free * perCluster * sectorSize,
  };
}

async function freeClusters(
  source: ByteSource,
  fatAt: number,
  clusters: number,
  entryBytes: number,
): Promise<number | null> {
  const length = (clusters + 2) * entryBytes;
  if (length > COUNTED_AT_MOST) return null;
  let free = 0;
  for (let at = 2 * entryBytes; at < length; at += PIECE) {
    const piece = await source.read(fatAt + at, Math.min(PIECE, length - at));
    // The upper four bits of a FAT32 entry are not part of its value.
    const top = entryBytes === 4 ? 0x0f : 0xff;
    for (let i = 0; i < piece.length; i += entryBytes) {
      const low = entryBytes === 4 ? piece[i]! | piece[i + 1]! | piece[i + 2]! : piece[i]!;
      if ((low | (piece[i + entryBytes - 1]! & top)) === 0) free++;
    }
  }
  return free;
}
