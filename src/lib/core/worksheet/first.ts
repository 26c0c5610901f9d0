import { nameInSentence, type Disk, type Partition } from '../disk';
import { isAt, ruleOf, type Preparation, type Freeable, type VolumePlace } from '../holdings';
import type { Task } from '../planning';
import type { Layout } from '../steps';
import { formatSize } from '../units';
import { checksOf } from './check';
import { SHELL } from './context';
import { sizeOf } from './runs';
import type { Check } from './sheet';

const check = checksOf('first');
/** Places that are named of one kind. */
const MAX_PLACES = 8;

const SURE = {
  'made-anew': 'Windows or the program makes it again where it needs it.',
  'look-first': 'Look into it before it goes.',
  'owner-says': 'Only with the owner’s word.',
};

/**
 * What goes and what moves before the backup is made: then the backup is of the machine as it is worked on, and
 * smaller.
 */
export function listFirstChecks({ machine }: Task, first: readonly Preparation[]): Check[] {
  const partitionAt = ({ disk, partition }: VolumePlace): Partition | undefined =>
    machine.disks.find((one) => one.number === disk)?.partitions.find((one) => one.number === partition);
  const nameAt = (place: VolumePlace): string => {
    const partition = partitionAt(place);
    return partition ? onDisk(machine.disks, place, nameInSentence(partition)) : 'a volume that is not there';
  };
  return first.flatMap((one) => [
    ...one.goes.flatMap((item) => goes(item, one, nameAt(one))),
    ...one.moves.map((move, i) => moves(move, `${idOf(one)}-move-${i + 1}`, nameAt(one), nameAt(move.to))),
    seen(one, nameAt(one), partitionAt(one)),
  ]);
}

/**
 * Why folders can't move first to where they were sent: the route makes a volume smaller than what is then in it. null:
 * there is room.
 * @param layouts the disk as found, and after each step
 */
export function findRoomProblem(
  disk: Disk,
  layouts: readonly Layout[],
  first: readonly Preparation[],
): string | null {
  for (const one of disk.partitions) {
    const here = (place: VolumePlace): boolean => isAt(place, { disk: disk.number, partition: one.number });
    const arriving = first
      .flatMap(({ moves }) => moves.filter(({ to }) => here(to)))
      .reduce((sum, { bytes }) => sum + bytes, 0);
    if (arriving === 0) continue;
    if (!layouts.at(-1)!.partitions.some(({ number }) => number === one.number))
      return `${formatSize(arriving)} would move to ${nameInSentence(one)} first, and this route takes that volume away. Let them stay where they are.`;
    const there = first.find(here)?.stays ?? one.volume?.used ?? 0;
    const sizes = layouts.flatMap((layout) =>
      layout.partitions.some(({ number }) => number === one.number) ? [sizeOf(disk, layout, one.number)] : [],
    );
    const least = Math.min(...sizes);
    if (there + arriving > least)
      return `${formatSize(arriving)} would move to ${nameInSentence(one)} first, which then holds ${formatSize(there + arriving)}, and this route makes it ${formatSize(least)}. Let less move there, or ask for less.`;
  }
  return null;
}

const idOf = ({ disk, partition }: VolumePlace): string => `${disk}-${partition}`;

/** Name of a volume: one without a letter needs its disk beside it where a machine has several. */
const onDisk = (disks: readonly Disk[], { disk }: VolumePlace, name: string): string =>
  disks.length > 1 ? `${name} (disk ${disk})` : name;

function goes({ id, bytes, places }: Freeable, place: VolumePlace, name: string): Check[] {
  const rule = ruleOf(id);
  if (!rule) return [];
  return [
    check(
      `${idOf(place)}-${id}`,
      `Free first: ${rule.name}, ${formatSize(bytes)} on ${name}`,
      [rule.what, `Lost with it: ${rule.lost}`, SURE[rule.sure], ...rule.how],
      {
        values: places.slice(0, MAX_PLACES).map((one) => ({ label: one.path, text: formatSize(one.bytes) })),
        script: rule.script ? { title: SHELL, text: rule.script.join('\n') } : null,
      },
    ),
  ];
}

function moves({ path, bytes }: Preparation['moves'][number], id: string, from: string, to: string): Check {
  return check(id, `Move first: ${path}, ${formatSize(bytes)} from ${from} to ${to}`, [
    `In Windows, as its owner: the folder’s properties, Location, Move; choose a new folder on ${to}, and let Windows move what is in it.`,
    'Windows remembers the new place itself, so programs go on finding it. Wait until it says that it is done, and open a few files there.',
  ]);
}

/** By how much the volume is emptier is seen, not believed. */
const seen = (one: Preparation, name: string, partition: Partition | undefined): Check =>
  check(`${idOf(one)}-seen`, `${name} has the room`, [
    `Afterwards about ${formatSize(one.stays)} are in use there${partition?.volume?.size ? `, ${formatSize(Math.max(0, partition.volume.size - one.stays))} are free` : ''}; look at its properties in Windows.`,
    'Where it is much less, something was not removed: each person removes the own files, and some go only with the next restart.',
  ]);
