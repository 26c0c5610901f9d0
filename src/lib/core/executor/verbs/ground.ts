import { type Outcome, type Problem, refusal } from '../../problem';
import { slice, type ByteSource } from '../../images/source';
import type { Step, StepOf } from '../../steps';
import type { Device } from '../devices/device';
import type { DiskChange, Operation, StepPlan } from '../plan';
import { withEntry, type EntryChange } from '../table/gptImage';
import { mbrChange, type MbrChange, type MbrSlot } from '../table/mbrImage';
import { listPartitionsNow, type PartitionNow, type TableNow } from '../table/tableNow';
import { unsound } from '../volumes/sound';

/** The disk and stores that a step finds when its turn comes. */
export interface PlanContext {
  disk: Device;
  table: TableNow;
  /** Numbers of partitions whose volumes the run marked itself. */
  marked: readonly number[];
  /** A GUID for what this step makes. */
  newId: () => string;
  /** The run's stores beside the disk. */
  aside: (name: string) => Promise<Device>;
  /** The steps that came before, and those that come after. */
  before: readonly Step[];
  after: readonly Step[];
  /** Number of plans of this step that are done, of those that come in several. */
  batch: number;
  /** Called while a plan takes long; it may wait, and stops the plan by an exception. */
  told: () => Promise<void>;
}

/** Plan of a step, before any of it is done. */
export type Planned = Outcome<PlannedOperation>;

export interface PlannedOperation extends Partial<Omit<StepPlan, 'operations'>> {
  operations: Operation[];
  /** The plan behind this one, where planning it again from the disk would take long. */
  next?: () => Promise<Planned>;
}

/** Name of a partition where only the executor speaks. */
export const nameOf = (step: Step): string => `Partition ${step.partition}`;

/**
 * The partition that a step is about: by GUID, on MBR by its place. It must be where the step expects it.
 *
 * Problem codes: `other-disk`, `elsewhere`.
 */
export function partitionOf(
  table: TableNow,
  step: Step,
  before: readonly Step[],
): { ok: true; value: PartitionNow } | { ok: false; problems: [Problem] } {
  const all = listPartitionsNow(table);
  const { id, from } = step;
  if (!from) throw new Error(`a step of ${step.verb} has no place`);
  // A partition that the route made has another GUID than the survey knows.
  const made = before.some(
    (one) => one.partition === step.partition && one.from === null && 'to' in one && one.to,
  );
  const wanted =
    table.kind === 'gpt' && id && !made
      ? all.find((one) => one.id === id.toUpperCase())
      : all.find((one) => one.first === from.first && one.sectors === from.sectors);
  if (!wanted) {
    return refusal(
      'other-disk',
      `${nameOf(step)} is not on this disk. The route was made for another disk, or on another survey of it.`,
    );
  }
  if (wanted.first !== from.first || wanted.sectors !== from.sectors) {
    return refusal(
      'elsewhere',
      `${nameOf(step)} is not where the route expects it: it begins at sector ${wanted.first} and has ${wanted.sectors}, not ${from.first} and ${from.sectors}. Survey the disk again and plan anew.`,
    );
  }
  return { ok: true, value: wanted };
}

/** The bytes of a partition as it lies now. */
export const bytesAt = (disk: Device, { first, sectors }: { first: number; sectors: number }): ByteSource =>
  slice(disk, first * disk.sectorSize, sectors * disk.sectorSize);

/** Why a step may not touch its volume, if there is a reason. */
export const unsoundOf = (
  ground: PlanContext,
  step: Step,
  partition: PartitionNow,
): Promise<Problem | null> =>
  partition.kind === 'extended'
    ? Promise.resolve(null)
    : unsound(
        bytesAt(ground.disk, partition),
        ground.disk.sectorSize,
        nameOf(step),
        ground.marked.includes(step.partition ?? -1),
      );

/** The change of one entry of a GPT. */
export function makeGptOperation(
  table: TableNow,
  change: (slot: number) => EntryChange,
  id: string,
): Operation {
  if (table.kind !== 'gpt') throw new Error('that is no GPT');
  const { gpt } = table;
  const entry = gpt.table.entries.find((one) => one.id.toUpperCase() === id)!;
  return { op: 'table', before: gpt.image, after: withEntry(gpt, change(entry.slot)) };
}

export const slotOf = (table: TableNow, partition: PartitionNow): MbrSlot => {
  if (table.kind !== 'mbr') throw new Error('that is no master boot record');
  return table.mbr.partitions.find(
    (one) =>
      one.kind === partition.kind && one.first === partition.first && one.sectors === partition.sectors,
  )!;
};

export const mbrChanges = async (ground: PlanContext, change: MbrChange): Promise<DiskChange[][]> =>
  ground.table.kind === 'mbr' ? mbrChange(ground.disk, ground.table.mbr, change) : [];

/** The table with a partition at another place or with another size. */
export async function placeOperation(
  ground: PlanContext,
  partition: PartitionNow,
  to: { first: number; sectors: number },
  recordAt?: number,
): Promise<Operation[]> {
  if (ground.table.kind === 'gpt') {
    const place = { first: to.first, last: to.first + to.sectors - 1 };
    return [makeGptOperation(ground.table, (slot) => ({ slot, place }), partition.key)];
  }
  const slot = slotOf(ground.table, partition);
  const groups = await mbrChanges(ground, { slot, to, ...(recordAt === undefined ? {} : { recordAt }) });
  return groups.length > 0 ? [{ op: 'change', on: 'disk', groups }] : [];
}

/** The partition of a step that gives it another place, which holds no record of another logical drive. */
export function findPartitionFor(
  ground: PlanContext,
  step: StepOf<'move' | 'extend'>,
): ReturnType<typeof partitionOf> | { ok: false; problems: Problem[] } {
  const found = partitionOf(ground.table, step, ground.before);
  return (found.ok && recordInTheWay(ground, found.value, step.to)) || found;
}

/** A record of another logical drive would be written over; null: none is. Problem code: `record-in-the-way`. */
function recordInTheWay(
  { table }: PlanContext,
  partition: PartitionNow,
  to: { first: number; sectors: number },
): { ok: false; problems: Problem[] } | null {
  if (table.kind !== 'mbr' || partition.kind !== 'logical') return null;
  const own = slotOf(table, partition).named;
  const hit = table.mbr.chain.find(({ at }) => at !== own && at >= to.first && at < to.first + to.sectors);
  return hit
    ? refusal(
        'record-in-the-way',
        `Sector ${hit.at} holds the record of another logical drive, unusually far before it. The place is not free.`,
      )
    : null;
}

/** A step that makes a disk larger finds it as large already. */
export const noEnlargement: Problem = {
  code: 'no-enlargement',
  path: '',
  message: 'The disk has that size already.',
};
