import { carryOut, convertedPartition, layoutOf, type Intent, type PricedStep } from '../steps';
import { sizeLimit, type Kit } from '../tools';
import type { Task } from './task';

/** A task as the search sees it, and what is done to the disk before it is as the search sees it. */
export interface Asked {
  task: Task;
  first: { intent: Intent; priced: PricedStep }[];
}

/**
 * The disk as found; and where the target's file system may be converted, also the disk with the target converted, which is the first thing
 * that is done then. Nothing else hangs on the target's file system, so no later moment would serve better.
 */
export function waysOf(task: Task, kit: Kit): Asked[] {
  const asFound: Asked = { task, first: [] };
  const { disk, target } = task;
  const intent: Intent = { verb: 'convert-volume', partition: target.number };
  const carried = carryOut({ terms: task, kit, layout: layoutOf(disk, task.outside) }, intent);
  if (!carried.ok) return [asFound];
  const now = convertedPartition(disk, target);
  const partitions = disk.partitions.map((one) => (one === target ? now : one));
  const first = [{ intent, priced: carried.value.priced }];
  return [asFound, { task: { ...task, disk: { ...disk, partitions }, target: now }, first }];
}

/** The largest size in bytes that the target's file system can have, as the kit may leave it. */
export const limitOf = (task: Task, kit: Kit): number =>
  Math.max(
    ...waysOf(task, kit).map(({ task: { disk, target } }) => sizeLimit(disk, target)?.bytes ?? Infinity),
  );
