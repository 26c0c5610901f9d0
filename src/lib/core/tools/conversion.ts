import { bytesOf, type Disk, type Partition, type Volume } from '../disk';
import { roundUp } from '../units';
import { isEncrypted } from './tools';

/** Room of NTFS's own log at the most, and what else is fixed. Bytes. */
const LOG = 64 * 2 ** 20;
const FIXED = 196_096;
/** For so many bytes of the volume one is needed for its tables, and for each file and folder so many. */
const PER_TABLE = 803;
const PER_FILE = 1280;
/** Guess where nobody has counted the files: one for so many bytes in use, which is more than there mostly are. */
const BYTES_PER_FILE = 32 * 1024;
/** NTFS that Windows made of FAT has clusters of 4 KiB at the most. */
const CLUSTER = 4096;

/**
 * Bytes that Windows needs free on a FAT volume to convert it to NTFS in place: the volume's size by 803, 1,280 for
 * each file and folder, 196,096, and the log. The rule is Windows' maker's own; the log is counted as large as today's
 * Windows makes it.
 */
export const getConversionRoom = (disk: Disk, partition: Partition): number =>
  roundUp(
    LOG +
      FIXED +
      bytesOf(disk, partition) / PER_TABLE +
      (PER_FILE * (partition.volume?.used ?? 0)) / BYTES_PER_FILE,
    CLUSTER,
  );

/**
 * A FAT volume of Windows or of people whose file system Windows can read: it is converted in place, and never back.
 */
export const canConvert = (partition: Partition): boolean =>
  (partition.role === 'windows' || partition.role === 'data') &&
  partition.kind !== 'extended' &&
  partition.volume !== null &&
  (partition.volume.fileSystem === 'fat32' || partition.volume.fileSystem === 'fat16') &&
  partition.volume.used !== null &&
  !partition.volume.bootSectorDamaged &&
  !isEncrypted(partition);

/** The volume once it is converted: as large as before, with what the conversion takes in use. */
export function converted(disk: Disk, partition: Partition, volume: Volume): Volume {
  const used = Math.min(volume.size, volume.used! + getConversionRoom(disk, partition));
  const clusterSize = Math.min(CLUSTER, volume.clusterSize || CLUSTER);
  return { ...volume, fileSystem: 'ntfs', clusterSize, used, clusterMap: null, lastUsed: null };
}
