import {
  ALL_ATTRIBUTES,
  endOf,
  isPooledType,
  guessRole,
  computeUsableAreas,
  type Disk,
  type Partition,
  type ProtectiveRecord,
  type TableFacts,
  type Volume,
} from '../disk';
import type { SurveyDisk, SurveyDocument, SurveyPartition, SurveyVolume } from './document';
import { locateWindows } from './whichWindows';

/** A surveyed machine as the computation sees it: roles resolved, usable areas known, partitions in order. */
export interface Machine {
  name: string;
  firmware: 'uefi' | 'bios';
  recoveryEnvironment: { enabled: boolean; disk: number | null; partition: number | null } | null;
  onBattery: boolean;
  hibernation: boolean;
  hibernated: boolean;
  disks: Disk[];
  /** Volumes of which one is probably Windows, and nothing says which: somebody has to name it first. */
  windowsInDoubt: Place[];
  /** The one that was taken for Windows although no letter and no word of the survey says so. */
  windowsGuessed: Place | null;
  notes: string[];
}

/** A partition by the numbers of its disk and its own. */
export interface Place {
  disk: number;
  partition: number;
}

/** The machine that a checked survey document describes. Call {@link checkSurvey} first: nothing is checked here. */
export function machineOf(survey: SurveyDocument): Machine {
  const { machine } = survey;
  const environment = machine.recoveryEnvironment;
  const given = new Set<Partition>();
  const bare = survey.disks.map((disk) => diskOf(disk, given)).sort((a, b) => a.number - b.number);
  const { roles, doubt } = locateWindows(bare, given);
  const withRoles = ({ partitions, ...disk }: Disk): Disk => ({
    ...disk,
    partitions: partitions.map((one) => ({ ...one, role: roles.get(one) ?? one.role })),
  });
  const places = bare.flatMap((disk) =>
    disk.partitions.map((partition) => ({
      disk: disk.number,
      partition: partition.number,
      role: roles.get(partition),
    })),
  );
  const guessed = places.find(({ role }) => role === 'windows');
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
    disks: bare.map(withRoles),
    windowsInDoubt: doubt.map(({ disk, partition }) => ({ disk: disk.number, partition: partition.number })),
    windowsGuessed: guessed ? { disk: guessed.disk, partition: guessed.partition } : null,
    notes: survey.notes ?? [],
  };
}

/** A disk with the roles that each partition tells by itself; those that the survey gives are put into `given`. */
function diskOf(source: SurveyDisk, given: Set<Partition>): Disk {
  const areas = computeUsableAreas(tableFacts(source));
  const partitions = source.partitions
    .map((one) => {
      const partition = partitionOf(one);
      if (one.role) given.add(partition);
      return partition;
    })
    .sort((a, b) => a.first - b.first || endOf(b) - endOf(a));
  return {
    number: source.number,
    model: source.model ?? '',
    serial: source.serial ?? '',
    media: source.media,
    sectorSize: source.sectorSize,
    sectors: source.sectors,
    table: source.table,
    id: source.id ?? '',
    protectiveRecord: protectiveRecordOf(source),
    dynamic: (source.dynamic ?? false) || partitions.some((partition) => isPooledType(partition.type)),
    ...areas,
    partitions,
  };
}

/** Facts of a disk's table in a survey, without what is null. */
export const tableFacts = (disk: SurveyDisk): TableFacts => ({
  table: disk.table,
  sectorSize: disk.sectorSize,
  sectors: disk.sectors,
  backupHeader: disk.backupHeader ?? undefined,
  firstUsable: disk.firstUsable ?? undefined,
  lastUsable: disk.lastUsable ?? undefined,
  entries: disk.entries ?? undefined,
  entrySize: disk.entrySize ?? undefined,
});

/** A master boot record with a protective entry is a hybrid one, whoever says so. */
function protectiveRecordOf({ table, partitions, protectiveRecord }: SurveyDisk): ProtectiveRecord | null {
  const protects = ({ type }: SurveyPartition) => type.toUpperCase() === '0XEE';
  return table === 'mbr' && partitions.some(protects) ? 'hybrid' : (protectiveRecord ?? null);
}

const bits = (text: string): string => `0x${text.slice(2).padStart(16, '0').toUpperCase()}`;

function partitionOf(source: SurveyPartition): Partition {
  const type = source.type.startsWith('0x') ? source.type : source.type.toUpperCase();
  const kind = source.kind ?? 'primary';
  const active = source.active ?? false;
  const letter = source.letter?.toUpperCase() ?? null;
  return {
    number: source.number,
    first: source.first,
    sectors: source.sectors,
    type,
    id: source.id?.toUpperCase() ?? null,
    attributes: bits(source.attributes ?? '0x0'),
    unreadAttributes: bits(source.unreadAttributes ?? (source.attributes ? '0x0' : ALL_ATTRIBUTES)),
    name: source.name ?? '',
    kind,
    active,
    letter,
    role: source.role ?? guessRole({ type, kind, active, letter }),
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
    lastImmovable: source.lastImmovable ?? null,
    immovableFile: source.immovableFile ?? null,
    clusterMap: source.clusterMap ?? null,
    dirty: source.dirty ?? false,
    bootSectorDamaged: source.bootSector === 'backup',
    encryption: {
      state: source.encryption?.state ?? (source.fileSystem === 'encrypted' ? 'on' : 'off'),
      percent: source.encryption?.percent ?? (source.fileSystem === 'encrypted' ? 100 : 0),
      usedOnly: source.encryption?.usedOnly ?? true,
    },
  };
}
