import { TYPE, type Disk, type FileSystem, type Role } from '../disk';
import { machineOf, type Machine, type SurveyDisk, type SurveyDocument, type SurveyPartition } from '../survey';
import { GIB, MIB } from '../units';

/** Builders of made-up surveys for tests: sizes in MiB, so that a test reads like a disk. */
export interface PartitionSpec {
  role?: Role;
  /** MiB. */
  size: number;
  /** MiB in use; absent: no volume. */
  used?: number;
  /** MiB of unallocated space before it. */
  gap?: number;
  fileSystem?: FileSystem;
  letter?: string;
  label?: string;
  clusterSize?: number;
  /** MiB. */
  smallestOffline?: number;
  encrypted?: boolean;
  dirty?: boolean;
}

export interface DiskSpec {
  /** MiB of the whole disk. */
  size: number;
  sectorSize?: number;
  media?: SurveyDisk['media'];
  backupHeader?: number;
}

const TYPE_OF: Record<Role, string> = {
  windows: TYPE.basicData,
  data: TYPE.basicData,
  recovery: TYPE.recovery,
  efi: TYPE.efi,
  reserved: TYPE.reserved,
  system: TYPE.basicData,
  vendor: TYPE.basicData,
  unknown: '0FC63DAF-8483-4772-8E79-3D69D8477DE4',
};

export const guid = (number: number): string =>
  `47540000-0000-4000-8000-${number.toString(16).toUpperCase().padStart(12, '0')}`;

/** A GPT disk with its partitions one after the other from 1 MiB on. */
export function diskSpec(disk: DiskSpec, partitions: readonly PartitionSpec[]): SurveyDisk {
  const sectorSize = disk.sectorSize ?? 512;
  const perMib = MIB / sectorSize;
  let at = perMib;
  return {
    number: 0,
    model: 'made-up disk',
    serial: 'GT-TEST-0001',
    media: disk.media ?? 'nvme',
    sectorSize,
    sectors: disk.size * perMib,
    table: 'gpt',
    id: guid(0xd15c),
    ...(disk.backupHeader === undefined ? {} : { backupHeader: disk.backupHeader }),
    partitions: partitions.map((spec, i) => {
      at += Math.round((spec.gap ?? 0) * perMib);
      const sectors = Math.round(spec.size * perMib);
      const partition = partitionOf(spec, i + 1, at, sectors, sectorSize);
      at += sectors;
      return partition;
    }),
  };
}

function partitionOf(
  spec: PartitionSpec,
  number: number,
  first: number,
  sectors: number,
  sectorSize: number,
): SurveyPartition {
  const role = spec.role ?? 'data';
  return {
    number,
    first,
    sectors,
    type: TYPE_OF[role],
    id: guid(number),
    role,
    letter: spec.letter ?? null,
    volume:
      spec.used === undefined
        ? null
        : {
            fileSystem: spec.fileSystem ?? 'ntfs',
            label: spec.label ?? '',
            clusterSize: spec.clusterSize ?? 4096,
            size: sectors * sectorSize,
            used: Math.round(spec.used * MIB),
            smallestOffline: spec.smallestOffline === undefined ? null : spec.smallestOffline * MIB,
            dirty: spec.dirty ?? false,
            encryption: { state: spec.encrypted ? 'on' : 'off' },
          },
  };
}

export function surveyWith(...disks: SurveyDisk[]): SurveyDocument {
  return {
    format: 'gentle-tide/survey',
    version: 1,
    takenAt: '2026-11-20T09:30:00Z',
    machine: { name: 'Saltmarsh test machine', firmware: 'uefi' },
    disks: disks.map((disk, number) => ({ ...disk, number })),
  };
}

export const machineWith = (disk: SurveyDisk): Machine => machineOf(surveyWith(disk));

export const diskWith = (disk: DiskSpec, partitions: readonly PartitionSpec[]): Disk =>
  machineWith(diskSpec(disk, partitions)).disks[0]!;

const gib = (value: number): number => (value * GIB) / MIB;

/** The clinic's layout of the product's sketches: EFI, reserved, C: nearly full, Recovery, D: with room. */
export const clinic = (): SurveyDocument =>
  surveyWith(
    diskSpec({ size: gib(476) + 956 }, [
      { role: 'efi', size: 260, used: 33, fileSystem: 'fat32' },
      { role: 'reserved', size: 16 },
      { role: 'windows', size: gib(119), used: gib(112.6), letter: 'C', label: 'Windows' },
      { role: 'recovery', size: 990, used: 720, label: 'Recovery' },
      { role: 'data', size: gib(355), used: gib(141), letter: 'D', label: 'Archive' },
    ]),
  );
