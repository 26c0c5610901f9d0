import { convertedPartition } from '../steps';
import { sizeLimit, type Kit } from '../tools';
import { begun, type Asked } from './asked';
import { joinings } from './joining';
import type { Task } from './task';

/**
 * The disk as found; and, as far as the goal allows it, the disk with something else done first: the target's file system converted, data
 * volumes joined to the target. Nothing else hangs on the target's file system, and what joins it only makes room, so no later moment would
 * serve better; but for a target that has no room for the files before it is extended (`joining.ts`).
 */
export function waysOf(task: Task, kit: Kit): Asked[] {
  const asFound: Asked = { task, first: [], last: [], lastBytes: 0 };
  const ways = [asFound, ...converting(task, kit)];
  return [...ways, ...ways.flatMap((way) => joinings(way, kit))];
}

function converting(task: Task, kit: Kit): Asked[] {
  const { disk, target } = task;
  const done = begun(task, kit, [{ verb: 'convert-volume', partition: target.number }]);
  if (!done) return [];
  const now = convertedPartition(disk, target);
  const partitions = disk.partitions.map((one) => (one === target ? now : one));
  const first = done.carried.map(({ intent, priced }) => ({ intent, priced }));
  return [{ task: { ...task, disk: { ...disk, partitions }, target: now }, first, last: [], lastBytes: 0 }];
}

/** The largest size in bytes that the target's file system can have, as the kit may leave it. */
export const limitOf = (task: Task, kit: Kit): number =>
  Math.max(
    ...waysOf(task, kit).map(({ task: { disk, target } }) => sizeLimit(disk, target)?.bytes ?? Infinity),
  );
