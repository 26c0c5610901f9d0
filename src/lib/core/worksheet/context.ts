import type { Kit } from '../tools';
import { diskNow, type Layout } from '../steps';
import type { Route, Task } from '../planning';
import { bytesOf, nameInSentence } from '../disk';
import { block, guard, type Expected } from '../steps/powershell/guard';
import type { Script, SheetDisk } from './sheet';

/** Source of a sheet. */
export interface SheetContext {
  task: Task;
  kit: Kit;
  route: Route;
  /** The layouts as found and after each step, one more than there are steps. */
  layouts: readonly Layout[];
  sheetDisk: SheetDisk;
}

export const SHELL = 'Windows PowerShell, as administrator';

/** Bytes of the whole disk after so many steps: only enlarging it changes them. */
export function diskBytesAt({ task, route }: SheetContext, steps: number): number {
  const enlarged = route.steps.slice(0, steps).findLast((step) => step.verb === 'enlarge-disk');
  return enlarged?.verb === 'enlarge-disk'
    ? enlarged.diskSectors * task.disk.sectorSize
    : task.disk.sectors * task.disk.sectorSize;
}

/** Lines behind guards for what a partition is after so many steps; the partition is `$part` in them. */
export function guarded(
  context: SheetContext,
  steps: number,
  heading: string,
  partition: number,
  lines: readonly string[],
): Script {
  const { disk } = context.task;
  const one = context.layouts[steps]!.partitions.find((candidate) => candidate.number === partition);
  const expected: Expected[] = one
    ? [
        {
          variable: 'part',
          name: nameInSentence(one),
          offset: one.first * disk.sectorSize,
          bytes: bytesOf(disk, one),
        },
      ]
    : [];
  const { table, id } = diskNow(disk, context.layouts[steps]!);
  const identity = { ...context.sheetDisk, table, id };
  const text = block([...guard(identity, diskBytesAt(context, steps), expected), ...lines]);
  return { title: SHELL, text: `# Gentle Tide: ${heading}\n${text}` };
}
