import type { Disk, FileSystem } from '../disk';
import { formatSize, GIB } from '../units';
import { MIN_CLUSTERS } from './floors';
import { sizeLimit } from './sizeLimit';
import type { Tool } from './tools';

/** Above this size Windows' own formatter makes no FAT32 (domain facts 5). */
export const WINDOWS_FAT32 = 32 * GIB;

/** Whether a tool formats a new volume of so many bytes. */
export const canFormat = ({ id }: Tool, fileSystem: FileSystem, bytes: number): boolean =>
  id !== 'windows' || fileSystem !== 'fat32' || bytes <= WINDOWS_FAT32;

/** Why a file system can't be made with a size and clusters at all, as a sentence; null: it can. */
export function cannotHave(
  disk: Pick<Disk, 'sectorSize'>,
  { fileSystem, clusterSize }: { fileSystem: FileSystem; clusterSize: number },
  bytes: number,
): string | null {
  const limit = sizeLimit(disk, { volume: { fileSystem, clusterSize } });
  if (limit && bytes > limit.bytes) return `Such a file system ends at ${formatSize(limit.bytes)}.`;
  const least = MIN_CLUSTERS[fileSystem];
  if (!least || clusterSize === 0 || bytes >= least.clusters * clusterSize) return null;
  return `Such a file system has at least ${formatSize(least.clusters * clusterSize)} with clusters of ${formatSize(clusterSize)}; smaller, it would be taken for another type.`;
}
