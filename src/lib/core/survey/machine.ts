import {
  ALL_ATTRIBUTES,
  deriveRoles,
  endOf,
  isPooledType,
  usableAreas,
  type Disk,
  type Partition,
  type Volume,
} from '../disk';
import type { SurveyDisk, SurveyDocument, SurveyPartition, SurveyVolume } from './document';

/** A surveyed machine as the computation sees it: roles resolved, usable areas known, partitions in order. */
export interface Machine {
  name: string;
  firmware: 'uefi' | 'bios';
  recoveryEnvironment: { enabled: boolean; disk: number | null; partition: number | null } | null;
  onBattery: boolean;
  hibernation: boolean;
  hibernated: boolean;
  disks: Disk[];
  notes: string[];
}

/** The machine that a checked survey document describes. Call {@link checkSurvey} first: nothing is checked here. */
export function machineOf(survey: SurveyDocument): Machine {
  const { machine } = survey;
  const environment = machine.recoveryEnvironment;
  // Without letters Windows is guessed, unless the survey itself says where it is.
  const lettersKnown = survey.disks.some((disk) =>
    disk.partitions.some((partition) => partition.letter || partition.role === 'windows'),
  );
  return {
    name: machine.name,
    firmware: machine.firmware,
    recoveryEnvironment: environment
      ? {
          enabled: environment.enabled,
          disk: environment.disk ?? null,
          partition: environment.partition ?? null,
        }
      : null,
    onBattery: machine.onBattery ?? false,
    hibernation: machine.hibernation ?? false,
    hibernated: machine.hibernated ?? false,
    disks: survey.disks.map((disk) => diskOf(disk, lettersKnown)).sort((a, b) => a.number - b.number),
    notes: survey.notes ?? [],
  };
}

function diskOf(source: SurveyDisk, lettersKnown: boolean): Disk {
  const areas = usableAreas({
    table: source.table,
    sectorSize: source.sectorSize,
    sectors: source.sectors,
    backupHeader: source.backupHeader ?? undefined,
    firstUsable: source.firstUsable ?? undefined,
    lastUsable: source.lastUsable ?? undefined,
  });
  const partitions = source.partitions
    .map(partitionOf)
    .sort((a, b) => a.first - b.first || endOf(b) - endOf(a));
  const derived = deriveRoles(partitions, lettersKnown);
  const given = new Map(source.partitions.map((partition) => [partition.number, partition.role]));
  return {
    number: source.number,
    model: source.model ?? '',
    serial: source.serial ?? '',
    media: source.media,
    sectorSize: source.sectorSize,
    sectors: source.sectors,
    table: source.table,
    id: source.id ?? '',
    dynamic: (source.dynamic ?? false) || partitions.some((partition) => isPooledType(partition.type)),
    ...areas,
    partitions: partitions.map((partition, i) => ({
      ...partition,
      role: given.get(partition.number) ?? derived[i]!,
    })),
  };
}

const bits = (text: string): string => `0x${text.slice(2).padStart(16, '0').toUpperCase()}`;

function partitionOf(source: SurveyPartition): Partition {
  return {
    number: source.number,
    first: source.first,
    sectors: source.sectors,
    type: source.type.startsWith('0x') ? source.type : source.type.toUpperCase(),
    id: source.id?.toUpperCase() ?? null,
    attributes: bits(source.attributes ?? '0x0'),
    unreadAttributes: bits(source.unreadAttributes ?? (source.attributes ? '0x0' : ALL_ATTRIBUTES)),
    name: source.name ?? '',
    kind: source.kind ?? 'primary',
    active: source.active ?? false,
    letter: source.letter?.toUpperCase() ?? null,
    role: 'unknown',
    volume: source.volume ? volumeOf(source.volume) : null,
  };
}

function volumeOf(source: SurveyVolume): Volume {
  return {
    fileSystem: source.fileSystem,
    label: source.label ?? '',
    clusterSize: source.clusterSize ?? 0,
    size: source.size,
    used: source.used ?? null,
    smallestRunning: source.smallestRunning ?? null,
    smallestOffline: source.smallestOffline ?? null,
    lastUsed: source.lastUsed ?? null,
    clusterMap: source.clusterMap ?? null,
    dirty: source.dirty ?? false,
    encryption: {
      state: source.encryption?.state ?? (source.fileSystem === 'encrypted' ? 'on' : 'off'),
      percent: source.encryption?.percent ?? (source.fileSystem === 'encrypted' ? 100 : 0),
      usedOnly: source.encryption?.usedOnly ?? true,
    },
  };
}
