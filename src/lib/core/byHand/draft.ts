import { alignment, endOf, TYPE, type Extent, type FileSystem, type PartitionRole } from '../disk';
import { roundUp } from '../units';
import { omit } from '../omit';
import type { SurveyDisk, SurveyDocument, SurveyPartition, SurveyVolume } from '../survey';

/**
 * Changes to a survey that is written by hand. Each gives a new document and leaves the old one as it is, so
 * that going back is a matter of keeping it. Whether the figures fit is checked as for any other survey.
 */

const GPT_TYPE: Record<PartitionRole, string> = {
  windows: TYPE.basicData,
  data: TYPE.basicData,
  system: TYPE.basicData,
  vendor: TYPE.recovery,
  recovery: TYPE.recovery,
  efi: TYPE.efi,
  reserved: TYPE.reserved,
  unknown: '0FC63DAF-8483-4772-8E79-3D69D8477DE4',
};
const MBR_TYPE: Partial<Record<PartitionRole, string>> = {
  recovery: '0x27',
  vendor: '0x27',
  efi: '0xEF',
  unknown: '0x83',
};
const FAT: readonly FileSystem[] = ['fat32', 'fat16'];

/** Attributes of a recovery partition: needed by the platform, no drive letter (domain facts 2). */
const RECOVERY_ATTRIBUTES = '0x8000000000000001';

/** The type that goes with a role, and on MBR with its file system. */
export function typeFor(table: SurveyDisk['table'], role: PartitionRole, fileSystem?: FileSystem): string {
  if (table === 'gpt') return GPT_TYPE[role];
  return MBR_TYPE[role] ?? (fileSystem && FAT.includes(fileSystem) ? '0x0C' : '0x07');
}

/** Usual form of a new partition of a role. */
function partitionOf(disk: SurveyDisk, number: number, role: PartitionRole, extent: Extent): SurveyPartition {
  const fileSystem: FileSystem | null =
    role === 'reserved' || role === 'unknown' ? null : role === 'efi' ? 'fat32' : 'ntfs';
  return {
    number,
    first: extent.first,
    sectors: extent.sectors,
    type: typeFor(disk.table, role, fileSystem ?? undefined),
    ...(disk.table === 'gpt' && role === 'recovery' ? { attributes: RECOVERY_ATTRIBUTES } : {}),
    role,
    volume: fileSystem && volumeOf(fileSystem, extent.sectors * disk.sectorSize),
  };
}

const volumeOf = (fileSystem: FileSystem, size: number): SurveyVolume => ({
  fileSystem,
  clusterSize: 4096,
  size,
});

/** The document with one of its disks changed. */
export const changeDisk = (
  survey: SurveyDocument,
  number: number,
  change: (disk: SurveyDisk) => SurveyDisk,
): SurveyDocument => ({
  ...survey,
  disks: survey.disks.map((disk) => (disk.number === number ? change(disk) : disk)),
});

/** The disk with one of its partitions changed. */
export const changePartition = (
  disk: SurveyDisk,
  number: number,
  change: (partition: SurveyPartition) => SurveyPartition,
): SurveyDisk => ({
  ...disk,
  partitions: disk.partitions.map((one) => (one.number === number ? change(one) : one)),
});

/** Another disk, empty, after the last. */
export function addDisk(survey: SurveyDocument, bytes: number): SurveyDocument {
  const number = Math.max(-1, ...survey.disks.map((disk) => disk.number)) + 1;
  return { ...survey, disks: [...survey.disks, emptyDisk(number, bytes, 'gpt')] };
}

/** Without a disk; those after it keep their numbers, which the machine gave them. The last one stays. */
export const removeDisk = (survey: SurveyDocument, number: number): SurveyDocument =>
  survey.disks.length === 1
    ? survey
    : { ...survey, disks: survey.disks.filter((disk) => disk.number !== number) };

export const emptyDisk = (number: number, bytes: number, table: SurveyDisk['table']): SurveyDisk => ({
  number,
  model: '',
  serial: '',
  media: table === 'gpt' ? 'nvme' : 'hdd',
  sectorSize: 512,
  sectors: Math.floor(bytes / 512),
  table,
  dynamic: false,
  partitions: [],
});

/** A partition that fills an unallocated extent, from its first aligned sector on. Too small a gap gets none. */
export function addPartition(disk: SurveyDisk, gap: Extent, role: PartitionRole): SurveyDisk {
  const first = roundUp(gap.first, alignment(disk));
  const sectors = endOf(gap) - first;
  if (sectors <= 0) return disk;
  const number = Math.max(0, ...disk.partitions.map((one) => one.number)) + 1;
  return { ...disk, partitions: [...disk.partitions, partitionOf(disk, number, role, { first, sectors })] };
}

export const removePartition = (disk: SurveyDisk, number: number): SurveyDisk => ({
  ...disk,
  partitions: disk.partitions.filter((one) => one.number !== number),
});

/**
 * Changes places with the neighbour on one side: together they take the same stretch of the disk, with the
 * same gap between. At the end of the disk nothing happens.
 */
export function swap(disk: SurveyDisk, number: number, side: 'left' | 'right'): SurveyDisk {
  const row = disk.partitions.filter((one) => one.kind !== 'logical').sort((a, b) => a.first - b.first);
  const at = row.findIndex((one) => one.number === number);
  const [left, right] = side === 'right' ? [row[at], row[at + 1]] : [row[at - 1], row[at]];
  if (!left || !right || left.kind === 'extended' || right.kind === 'extended') return disk;
  const starts = new Map([
    [right.number, left.first],
    [left.number, endOf(right) - left.sectors],
  ]);
  return {
    ...disk,
    partitions: disk.partitions.map((one) => ({ ...one, first: starts.get(one.number) ?? one.first })),
  };
}

/**
 * At another place, or of another size. The file system keeps its distance to the partition's end; what was
 * measured of its inside no longer counts once its size is another.
 */
export function placeAt(disk: SurveyDisk, partition: SurveyPartition, extent: Extent): SurveyPartition {
  const { volume } = partition;
  const grown = (extent.sectors - partition.sectors) * disk.sectorSize;
  return {
    ...partition,
    ...extent,
    ...(volume && grown !== 0
      ? { volume: { ...withoutMeasures(volume), size: Math.max(0, volume.size + grown) } }
      : {}),
  };
}

/** With another use; null where it is not known. */
export const useBytes = (volume: SurveyVolume, used: number | null): SurveyVolume => ({
  ...withoutMeasures(volume),
  used,
});

const withoutMeasures = (volume: SurveyVolume): SurveyVolume =>
  omit(
    volume,
    'smallestRunning',
    'smallestOffline',
    'lastUsed',
    'lastImmovable',
    'immovableFile',
    'clusterMap',
  );

/** In another role, with the type and attributes that go with it. */
export function changeRole(
  disk: SurveyDisk,
  partition: SurveyPartition,
  role: PartitionRole,
): SurveyPartition {
  const fileSystem = partition.volume?.fileSystem;
  return {
    ...omit(partition, 'attributes'),
    role,
    type: typeFor(disk.table, role, fileSystem),
    ...(disk.table === 'gpt' && role === 'recovery' ? { attributes: RECOVERY_ATTRIBUTES } : {}),
  };
}

/** With another file system, or with none. */
export function withFileSystem(
  disk: SurveyDisk,
  partition: SurveyPartition,
  fileSystem: FileSystem | null,
): SurveyPartition {
  const size = partition.volume?.size ?? partition.sectors * disk.sectorSize;
  const volume = fileSystem && {
    ...(partition.volume ? withoutMeasures(partition.volume) : volumeOf(fileSystem, size)),
    fileSystem,
  };
  const onMbr = disk.table === 'mbr' && partition.kind !== 'extended';
  return {
    ...partition,
    volume,
    ...(onMbr ? { type: typeFor('mbr', partition.role ?? 'data', fileSystem ?? undefined) } : {}),
  };
}

/** On the other kind of table, with the types that it knows. GUIDs and attributes have no place on an MBR. */
export function changeTable(disk: SurveyDisk, table: SurveyDisk['table']): SurveyDisk {
  if (disk.table === table) return disk;
  return {
    ...omit(disk, 'firstUsable', 'lastUsable', 'backupHeader', 'id'),
    table,
    partitions: disk.partitions
      .filter((one) => table === 'mbr' || one.kind !== 'extended')
      .map((one) => ({
        ...omit(one, 'id', 'attributes', 'kind', 'active'),
        type: typeFor(table, one.role ?? 'data', one.volume?.fileSystem),
      })),
  };
}
