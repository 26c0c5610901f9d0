import { TYPE, type Disk, type FileSystem, type PartitionRole } from '../disk';
import { MIB } from '../units';
import { machineOf } from './machine';
import type { SurveyDisk, SurveyDocument, SurveyPartition, SurveyVolume } from './document';

/**
 * Builds survey documents from sizes in MiB, for demo data and tests: a layout that reads like a disk.
 */
export interface PartitionSpec {
  role?: PartitionRole;
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
  /** MiB: the smallest size that Windows itself offers. */
  smallestRunning?: number;
  encrypted?: boolean;
  encryption?: NonNullable<SurveyVolume['encryption']>;
  active?: boolean;
  dirty?: boolean;
}

export interface DiskSpec {
  /** MiB of the whole disk. */
  size: number;
  sectorSize?: number;
  media?: SurveyDisk['media'];
  /** LBA, where it is not the last sector. */
  backupHeader?: number;
  table?: 'gpt' | 'mbr';
  model?: string;
  serial?: string;
  /** Makes the GUIDs of this disk its own. */
  seed?: number;
}

const TYPE_OF: Record<PartitionRole, string> = {
  windows: TYPE.basicData,
  data: TYPE.basicData,
  recovery: TYPE.recovery,
  efi: TYPE.efi,
  reserved: TYPE.reserved,
  system: TYPE.basicData,
  vendor: TYPE.basicData,
  unknown: '0FC63DAF-8483-4772-8E79-3D69D8477DE4',
};

const MBR_TYPE: Partial<Record<PartitionRole, string>> = { recovery: '0x27', unknown: '0x83' };

/** Attributes of a recovery partition: needed by the platform, no drive letter (domain facts 2). */
const ATTRIBUTES: Partial<Record<PartitionRole, string>> = { recovery: '0x8000000000000001' };

export const guid = (number: number): string =>
  `47540000-0000-4000-8000-${number.toString(16).toUpperCase().padStart(12, '0')}`;

/** A disk with its partitions one after the other from 1 MiB on. */
export function diskSpec(disk: DiskSpec, partitions: readonly PartitionSpec[]): SurveyDisk {
  const sectorSize = disk.sectorSize ?? 512;
  const perMib = MIB / sectorSize;
  const table = disk.table ?? 'gpt';
  const seed = (disk.seed ?? 0) * 0x10000;
  let at = perMib;
  return {
    number: 0,
    model: disk.model ?? 'made-up disk',
    serial: disk.serial ?? 'GT-TEST-0001',
    media: disk.media ?? 'nvme',
    sectorSize,
    sectors: disk.size * perMib,
    table,
    id: table === 'mbr' ? '6C1F00D5' : guid(seed + 0xd15c),
    ...(disk.backupHeader === undefined ? {} : { backupHeader: disk.backupHeader }),
    partitions: partitions.map((spec, i) => {
      at += Math.round((spec.gap ?? 0) * perMib);
      const sectors = Math.round(spec.size * perMib);
      const number = i + 1;
      const facts = { number, first: at, sectors, sectorSize };
      at += sectors;
      const common = partitionOf(spec, facts);
      return table === 'mbr'
        ? { ...common, type: MBR_TYPE[spec.role ?? 'data'] ?? '0x07', active: spec.active ?? false }
        : {
            ...common,
            type: TYPE_OF[spec.role ?? 'data'],
            id: guid(seed + number),
            attributes: ATTRIBUTES[spec.role ?? 'data'] ?? '0x0000000000000000',
          };
    }),
  };
}

function partitionOf(
  spec: PartitionSpec,
  facts: { number: number; first: number; sectors: number; sectorSize: number },
): Omit<SurveyPartition, 'type'> {
  const { number, first, sectors, sectorSize } = facts;
  return {
    number,
    first,
    sectors,
    role: spec.role ?? 'data',
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
            smallestRunning: spec.smallestRunning === undefined ? null : spec.smallestRunning * MIB,
            dirty: spec.dirty ?? false,
            encryption: spec.encryption ?? { state: spec.encrypted ? 'on' : 'off' },
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

export const diskWith = (disk: DiskSpec, partitions: readonly PartitionSpec[]): Disk =>
  machineOf(surveyWith(diskSpec(disk, partitions))).disks[0]!;
