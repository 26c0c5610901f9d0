import type { Intent } from '../steps';
import { sizeLimit, type Kit } from '../tools';
import { prependIntents, type Asked } from './asked';
import { listJoinings } from './joining';
import type { Task } from './task';

/**
 * The disk as found; and, as far as the goal allows it, the disk with something else done first: the target's file
 * system or the table converted, data volumes joined to the target. Nothing else hangs on the target's file system, a
 * new table only allows more, and what joins it only makes room, so no later moment would serve better; but for a
 * target that has no room for the files before it is extended (`joining.ts`).
 */
export function waysOf(task: Task, kit: Kit): Asked[] {
  const asFound: Asked = { task, first: [], last: [], lastBytes: 0 };
  const converted = conversions(task.target.number).flatMap(
    (one) => prependIntents(asFound, kit, [one]) ?? [],
  );
  const ways = [asFound, ...converted];
  return [...ways, ...ways.flatMap((way) => listJoinings(way, kit))];
}

/** Conversions that can come first, each by itself. */
const conversions = (target: number): Intent[] => [
  { verb: 'convert-volume', partition: target },
  { verb: 'convert-table' },
];

/** The largest size in bytes that the target's file system can have, as the kit may leave it. */
export const limitOf = (task: Task, kit: Kit): number =>
  Math.max(
    ...waysOf(task, kit).map(({ task: { disk, target } }) => sizeLimit(disk, target)?.bytes ?? Infinity),
  );
