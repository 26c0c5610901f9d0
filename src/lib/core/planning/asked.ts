import type { Disk } from '../disk';
import {
  carryOut,
  diskNow,
  layoutOf,
  type Carried,
  type Intent,
  type Layout,
  type PricedStep,
} from '../steps';
import type { Kit } from '../tools';
import type { Task } from './task';

/** A task as the search sees it, and what is done to the disk before and behind what the search finds. */
export interface Asked {
  task: Task;
  first: { intent: Intent; priced: PricedStep }[];
  /** What comes behind it: known from the beginning, carried out at the end. */
  last: Intent[];
  /** Bytes that the last steps copy. */
  lastBytes: number;
}

/** The task as the search sees it on a layout of its disk; null: the target is not on it. */
export function taskAt(task: Task, layout: Layout): Task | null {
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

/** Intents carried out from the disk as the task has it; null: one of them can't be. */
export function begun(
  task: Task,
  kit: Kit,
  intents: readonly Intent[],
): { carried: (Carried & { intent: Intent })[]; layout: Layout } | null {
  const carried: (Carried & { intent: Intent })[] = [];
  let layout = layoutOf(task.disk, task.outside);
  for (const intent of intents) {
    const one = carryOut({ terms: task, kit, layout }, intent);
    if (!one.ok) return null;
    carried.push({ ...one.value, intent });
    layout = one.value.after;
  }
  return { carried, layout };
}
