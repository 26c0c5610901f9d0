import {
  describeAttributes,
  bytesOf,
  plainName,
  ROLE_WORD,
  type Disk,
  type Partition,
  type Volume,
} from '../disk';
import { formatMib, formatSize } from '../units';
import { machineOf, type Machine } from './machine';
import type { SurveyDocument } from './document';

/** One thing that two surveys say differently, in words. */
export interface SurveyChange {
  what: string;
  before: string;
  after: string;
}

/** A partition in both surveys, or in one of them only. */
export interface PartitionPair {
  before: Partition | null;
  after: Partition | null;
  changes: SurveyChange[];
}

export interface DiskPair {
  before: Disk | null;
  after: Disk | null;
  /** Changes of the disk itself. */
  changes: SurveyChange[];
  /** In the order of the later survey; what is gone stands last. */
  partitions: PartitionPair[];
}

export interface Comparison {
  machine: SurveyChange[];
  disks: DiskPair[];
  /** Mark that nothing at all is different. */
  same: boolean;
}

/**
 * What changed from one survey of a machine to a later one. Disks are matched by GUID or signature, else by
 * serial number, else by number; partitions by GUID, never by number where they have one (domain facts 2),
 * else by where they start.
 */
export function compareSurveys(before: SurveyDocument, after: SurveyDocument): Comparison {
  const [from, to] = [machineOf(before), machineOf(after)];
  const machine = changesOf(MACHINE_FACTS, from, to);
  const disks = pairsOf(from.disks, to.disks, [
    (disk) => disk.id.toUpperCase() || null,
    (disk) => disk.serial || null,
    (disk) => String(disk.number),
  ]).map(({ before, after }): DiskPair => ({
    before,
    after,
    changes: before && after ? changesOf(DISK_FACTS, before, after) : [],
    partitions: partitionPairs(before, after),
  }));
  const same =
    machine.length === 0 &&
    disks.every(
      (pair) =>
        pair.before &&
        pair.after &&
        pair.changes.length === 0 &&
        pair.partitions.every((one) => one.before && one.after && one.changes.length === 0),
    );
  return { machine, disks, same };
}

function partitionPairs(before: Disk | null, after: Disk | null): PartitionPair[] {
  const pairs = pairsOf(before?.partitions ?? [], after?.partitions ?? [], [
    (partition) => partition.id,
    // Only among those without a GUID: with one, another GUID means another partition.
    (partition) => (partition.id ? null : `${partition.kind} at ${partition.first}`),
    (partition) => (partition.id ? null : `number ${partition.number}`),
  ]);
  return pairs.map((pair) => ({
    ...pair,
    changes:
      pair.before && pair.after
        ? changesOf(
            PARTITION_FACTS,
            { disk: before!, partition: pair.before },
            { disk: after!, partition: pair.after },
          )
        : [],
  }));
}

/** Pairs by the first key that both have; each key is tried on what the keys before it left over. */
function pairsOf<T>(
  before: readonly T[],
  after: readonly T[],
  keys: readonly ((one: T) => string | null)[],
): { before: T | null; after: T | null }[] {
  const left = new Set(before);
  const found = new Map<T, T>();
  for (const key of keys) {
    for (const one of after) {
      const wanted = key(one);
      if (found.has(one) || wanted === null) continue;
      const match = [...left].find((other) => key(other) === wanted);
      if (!match) continue;
      found.set(one, match);
      left.delete(match);
    }
  }
  return [
    ...after.map((one) => ({ before: found.get(one) ?? null, after: one })),
    ...[...left].map((one) => ({ before: one, after: null })),
  ];
}

type Facts<T> = readonly (readonly [string, (of: T) => string])[];

const changesOf = <T>(facts: Facts<T>, before: T, after: T): SurveyChange[] =>
  facts.flatMap(([what, tell]) => {
    const [from, to] = [tell(before), tell(after)];
    return from === to ? [] : { what, before: from, after: to };
  });

const yesNo = (value: boolean): string => (value ? 'yes' : 'no');
const orNone = (text: string | null | undefined): string => text || 'none';
const size = (bytes: number): string => `${formatSize(bytes)} (${formatMib(bytes)})`;
const sizeOrUnknown = (bytes: number | null): string => (bytes === null ? 'not known' : size(bytes));

const MACHINE_FACTS: Facts<Machine> = [
  ['Name', (of) => of.name],
  ['Firmware', (of) => of.firmware.toUpperCase()],
  [
    'Recovery environment',
    ({ recoveryEnvironment: state }) =>
      !state
        ? 'not known'
        : !state.enabled
          ? 'off'
          : `on, disk ${state.disk ?? '?'}, partition ${state.partition ?? '?'}`,
  ],
  ['Fast start or hibernation set', (of) => yesNo(of.hibernation)],
  ['Hibernated', (of) => yesNo(of.hibernated)],
  ['On battery', (of) => yesNo(of.onBattery)],
];

const DISK_FACTS: Facts<Disk> = [
  ['Number', (disk) => String(disk.number)],
  ['Serial', (disk) => orNone(disk.serial)],
  ['Size', (disk) => size(disk.sectors * disk.sectorSize)],
  ['Sector size', (disk) => `${disk.sectorSize} bytes`],
  ['Table', (disk) => disk.table.toUpperCase()],
  ['Table’s GUID or signature', (disk) => orNone(disk.id)],
  [
    'Usable up to',
    (disk) => formatMib((disk.usable.first + disk.usable.sectors) * disk.sectorSize, disk.sectorSize),
  ],
  ['Managed as a whole', (disk) => yesNo(disk.dynamic)],
];

interface Placed {
  disk: Disk;
  partition: Partition;
}
const ofVolume =
  (tell: (volume: Volume) => string) =>
  ({ partition }: Placed): string =>
    partition.volume ? tell(partition.volume) : 'no volume';

const PARTITION_FACTS: Facts<Placed> = [
  ['Start', ({ disk, partition }) => formatMib(partition.first * disk.sectorSize, disk.sectorSize)],
  ['Size', ({ disk, partition }) => size(bytesOf(disk, partition))],
  ['Used', ofVolume((volume) => sizeOrUnknown(volume.used))],
  ['File system', ofVolume((volume) => volume.fileSystem.toUpperCase())],
  ['Size of the file system', ofVolume((volume) => size(volume.size))],
  ['Letter', ({ partition }) => (partition.letter ? `${partition.letter}:` : 'none')],
  ['Label', ofVolume((volume) => orNone(volume.label))],
  ['Number', ({ partition }) => String(partition.number)],
  ['Role', ({ partition }) => ROLE_WORD[partition.role]],
  ['Kind', ({ partition }) => partition.kind],
  ['Type', ({ partition }) => partition.type],
  ['Attributes', ({ partition }) => describeAttributes(partition)],
  ['Name in the table', ({ partition }) => orNone(partition.name)],
  ['Active', ({ partition }) => yesNo(partition.active)],
  ['Asks for a check', ofVolume((volume) => yesNo(volume.dirty))],
  ['Boot sector damaged', ofVolume((volume) => yesNo(volume.bootSectorDamaged))],
  [
    'Encryption',
    ofVolume(({ encryption: { state, percent } }) => (state === 'off' ? 'off' : `${state}, ${percent} %`)),
  ],
  ['Smallest size while it runs', ofVolume((volume) => sizeOrUnknown(volume.smallestRunning))],
  ['Smallest size from outside', ofVolume((volume) => sizeOrUnknown(volume.smallestOffline))],
];

/** "Archive, partition 5": how a pair is called, by its later name. */
export function pairName({ before, after }: PartitionPair): string {
  const partition = (after ?? before)!;
  return `${partition.letter ? `${partition.letter}: ` : ''}${plainName(partition)}, partition ${partition.number}`;
}
