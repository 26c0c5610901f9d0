import { alignment, bytesOf, type Partition } from '../disk';
import { nameFolder, joinRoom, type Intent } from '../steps';
import { isEncrypted, type Kit } from '../tools';
import { roundUp } from '../units';
import { listPushes } from './pushing';
import type { Task } from './task';
import { prependIntents, type Asked } from './asked';

/**
 * Data volumes that are looked at, and of those together, at the most: nobody joins more, and each is a search of its
 * own.
 */
const MOST = 12;
const MAX_TOGETHER = 3;

/**
 * The ways with data volumes joined to the target, each by itself in three patterns: the target has the room now; it is
 * extended first, by pushing aside what stands behind it, as far as the files need it; or the files wait at an outside
 * place and come back once the target has been extended. All of them together are looked at where there is room now.
 */
export function listJoinings(way: Asked, kit: Kit): Asked[] {
  const { task } = way;
  const sources = task.disk.partitions.filter(({ number }) => task.mayJoin.has(number)).slice(0, MOST);
  const each = sources.flatMap((source) =>
    Object.values(PATTERNS).flatMap((pattern) => pattern(way, kit, source)),
  );
  if (sources.length < 2 || sources.length > MAX_TOGETHER) return each;
  const together = sources.reduce<Asked[]>(
    (ways, source) => ways.flatMap((one) => roomNow(one, kit, here(one, source))),
    [way],
  );
  return [...each, ...together];
}

type Pattern = (way: Asked, kit: Kit, source: Partition | undefined) => Asked[];

const here = ({ task }: Asked, { number }: Partition): Partition | undefined =>
  task.disk.partitions.find((one) => one.number === number);

const roomNow: Pattern = (way, kit, source) =>
  source ? added(way, kit, [...opened(source), ...joined(way, source)], source) : [];

/** Case of a target that has no room for the files as found, but may get it before they come. */
const extendFirst: Pattern = (way, kit, source) => {
  const { task } = way;
  const { disk, target } = task;
  if (target.volume?.used == null || source?.volume?.used == null) return [];
  const need = target.volume.used + joinRoom(source.volume.used);
  const slot = alignment(disk);
  const end = roundUp(target.first + Math.ceil(need / disk.sectorSize), slot);
  const size = (end - target.first) * disk.sectorSize;
  if (need <= target.volume.size || size <= bytesOf(disk, target) || size > goalOf(task)) return [];
  const push = listPushes(task, kit, size)[0];
  return push ? added(way, kit, [...push, ...opened(source), ...joined(way, source)], source) : [];
};

const byOutside: Pattern = (way, kit, source) => {
  const { task } = way;
  const bytes = source?.volume?.used;
  if (!source || bytes == null) return [];
  const { number: partition } = source;
  return task.outside.flatMap(({ name }) => {
    const out: Intent[] = [
      ...opened(source),
      { verb: 'copy', partition, into: { outside: name } },
      { verb: 'delete', partition, word: '' },
    ];
    const back: Intent = {
      verb: 'join-back',
      partition: task.target.number,
      of: partition,
      fromOutside: name,
      folder: nameFolder(source),
    };
    return added(way, kit, out, source).map((one) => ({
      ...one,
      last: [...one.last, back],
      lastBytes: one.lastBytes + bytes,
    }));
  });
};

const PATTERNS = { now: roomNow, extended: extendFirst, outside: byOutside } as const;
/** Way of files into the target: now, once it was extended, or by way of an outside place. */
export type JoinPattern = keyof typeof PATTERNS;

/**
 * Whether a kit can join a data volume to the target in a pattern, for as large a target as there can be. Of outside
 * places the largest is tried.
 */
export function isJoinedBy(pattern: JoinPattern, task: Task, kit: Kit, number: number): boolean {
  const [largest] = [...task.outside].sort((a, b) => b.bytes - a.bytes);
  const alone = {
    ...task,
    size: 'max' as const,
    mayJoin: new Set([number]),
    outside: largest ? [largest] : [],
  };
  const way: Asked = { task: alone, first: [], last: [], lastBytes: 0 };
  const source = task.disk.partitions.find((one) => one.number === number);
  return PATTERNS[pattern](way, kit, source).length > 0;
}

const goalOf = ({ size }: Task): number => (size === 'max' ? Infinity : size);

/** No tool copies files out of a volume that is encrypted for it. */
const opened = (source: Partition): Intent[] =>
  isEncrypted(source) ? [{ verb: 'decrypt', partition: source.number }] : [];

const joined = ({ task }: Asked, source: Partition): Intent[] => [
  { verb: 'join', partition: source.number, into: task.target.number, folder: nameFolder(source) },
  { verb: 'delete', partition: source.number, word: '' },
];

/** A way with a volume joined first; nothing where it is held as it is, or that can't be done. */
function added(way: Asked, kit: Kit, intents: readonly Intent[], source: Partition): Asked[] {
  const { fixed, gives } = way.task;
  if (fixed.has(source.number) || (gives.get(source.number) ?? 0) > 0) return [];
  const now = prependIntents(way, kit, intents);
  return now ? [now] : [];
}

/**
 * The same steps with files joined only once the target has moved, where it moves at all: with more in it, moving it
 * takes longer. null: that is no other list.
 */
export function joinedLater({ target }: Task, intents: readonly Intent[]): Intent[] | null {
  const from = intents.findIndex(({ verb }) => verb === 'join');
  const moved = intents.findLastIndex((one) => one.verb === 'move' && one.partition === target.number);
  if (from < 0 || moved < from) return null;
  const joined = new Set(intents.flatMap((one) => (one.verb === 'join' ? [one.partition] : [])));
  const waits = (one: Intent): boolean =>
    one.verb === 'join' || (one.verb === 'delete' && joined.has(one.partition));
  const [before, behind] = [intents.slice(0, moved + 1), intents.slice(moved + 1)];
  return [...before.filter((one) => !waits(one)), ...before.filter(waits), ...behind];
}
