import type { Disk } from '../disk';
import { executeIntents, diskNow, type Intent, type Layout, type PricedStep } from '../steps';
import type { Kit } from '../tools';
import type { Task } from './task';

/** A task as the search sees it, and what is done to the disk before and behind what the search finds. */
export interface Asked {
  task: Task;
  first: { intent: Intent; priced: PricedStep }[];
  /** Intents behind it: known from the beginning, carried out at the end. */
  last: Intent[];
  /** Bytes that the last steps copy. */
  lastBytes: number;
}

/** The task as the search sees it on a layout of its disk; null: the target is not on it. */
function taskAt(task: Task, layout: Layout): Task | null {
  const { partitions, usable, relocated, outside } = layout;
  const at = (number: number) => partitions.find((one) => one.number === number);
  const target = at(task.target.number);
  if (!target) return null;
  const disk: Disk = {
    ...diskNow(task.disk, layout),
    partitions: [...partitions],
    usable,
    usableRelocated: relocated,
  };
  const disks = task.machine.disks.map((one) => (one.number === disk.number ? disk : one));
  return {
    ...task,
    machine: { ...task.machine, disks },
    disk,
    target,
    donors: new Set([...task.donors].filter(at)),
    outside: [...outside].map(([name, bytes]) => ({ name, bytes })),
    recoveryBehind: (task.recoveryBehind && at(task.recoveryBehind.number)) ?? null,
  };
}

/** A way with something done first that can be done there; null: it can't. */
export function prependIntents(way: Asked, kit: Kit, intents: readonly Intent[]): Asked | null {
  const executed = executeIntents(way.task, kit, intents);
  const task = executed.ok && taskAt(way.task, executed.value.left);
  if (!executed.ok || !task) return null;
  const done = intents.map((intent, i) => ({ intent, priced: executed.value.steps[i]! }));
  return { ...way, task, first: [...way.first, ...done] };
}
