import type { Disk, FileSystem, Volume } from '../disk';

/**
 * Most clusters that a file system can have (domain facts 4 and 5; FAT16 and FAT32 by Microsoft's FAT specification
 * 1.03).
 */
const MAX_CLUSTERS: Partial<Record<FileSystem, number>> = {
  ntfs: 2 ** 32 - 1,
  fat32: 2 ** 28 - 12,
  fat16: 65_524,
};
/** FAT counts its sectors in 32 bits, whatever its clusters. */
const MAX_FAT_SECTORS = 2 ** 32 - 1;

export interface SizeLimit {
  bytes: number;
  /** Numbers that run out: those of clusters, or of sectors. */
  by: 'clusters' | 'sectors';
}

/** The largest size that the partition's file system can have, however much room there is; null: none that is known. */
export function sizeLimit(
  { sectorSize }: Pick<Disk, 'sectorSize'>,
  { volume }: { volume: Pick<Volume, 'fileSystem' | 'clusterSize'> | null },
): SizeLimit | null {
  if (!volume) return null;
  const { fileSystem, clusterSize } = volume;
  const clusters = clusterSize > 0 ? (MAX_CLUSTERS[fileSystem] ?? Infinity) * clusterSize : Infinity;
  const fat = fileSystem === 'fat32' || fileSystem === 'fat16';
  const sectors = fat ? MAX_FAT_SECTORS * sectorSize : Infinity;
  const bytes = Math.min(clusters, sectors);
  return bytes === Infinity ? null : { bytes, by: clusters <= sectors ? 'clusters' : 'sectors' };
}
