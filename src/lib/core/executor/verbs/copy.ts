import { refusal, success } from '../../problem';
import type { StepOf } from '../../steps';
import { findUsedExtents } from '../volumes/usedExtents';
import { bringIn } from './bringIn';
import { emptyVolume } from './create';
import { bytesAt, nameOf, unsoundOf, type PlanContext, type Planned } from './ground';
import { findPartitionNumbered } from './places';

const storeOf = (partition: number): string => `copy-${partition}`;

/**
 * A data volume goes out to a store of the run, or into a volume that the route made, as a clone of what is in use:
 * file by file, as the work sheet has it, is for Windows; here nothing is left out and nothing is opened.
 */
export async function planCopy(ground: PlanContext, step: StepOf<'copy'>): Promise<Planned> {
  if ('fromOutside' in step) return back(ground, step);
  const { disk } = ground;
  const partition = findPartitionNumbered(ground, step.partition, step.id);
  if (!partition) return refusal('other-disk', `${nameOf(step)} is not on this disk.`);
  const problem = await unsoundOf(ground, step, partition);
  if (problem) return { ok: false, problems: [problem] };
  const [at, size] = [partition.first * disk.sectorSize, partition.sectors * disk.sectorSize];
  const store = storeOf(step.partition);
  if ('partition' in step.into)
    return into(ground, step, step.into.partition, {
      source: { place: 'disk', at, size, first: partition.first },
      store,
    });
  const { extents } = await findUsedExtents(bytesAt(disk, partition), disk.sectorSize);
  const held = await ground.aside(store);
  await held.resize(size);
  await held.flush();
  return success({
    operations: [{ op: 'copy', from: 'disk', fromAt: at, to: `aside:${store}`, toAt: 0, extents }],
  });
}

async function back(
  ground: PlanContext,
  step: Extract<StepOf<'copy'>, { fromOutside: string }>,
): Promise<Planned> {
  const store = storeOf(step.of);
  const held = await ground.aside(store);
  if (held.size === 0) return refusal('not-copied', `Partition ${step.of} was not copied out in this run.`);
  const first = firstOf(ground, step.of);
  return into(ground, step, step.partition, {
    source: { place: `aside:${store}`, at: 0, size: held.size, first },
    store,
  });
}

/** The first sector that a partition had before it was deleted; -1 where no step says. */
function firstOf({ before }: PlanContext, number: number): number {
  const known = before.findLast((one) => one.partition === number && one.from !== null);
  return known?.from?.first ?? -1;
}

async function into(
  ground: PlanContext,
  step: StepOf<'copy'>,
  number: number,
  { source, store }: Pick<Parameters<typeof bringIn>[1], 'source' | 'store'>,
): Promise<Planned> {
  const made = ground.before.findLast((one) => one.verb === 'create' && one.partition === number);
  const target = findPartitionNumbered(ground, number, null);
  if (made?.verb !== 'create' || !target)
    return refusal('not-made', `Partition ${number} is none that the route made: nothing is copied over it.`);
  return bringIn(ground, {
    source,
    store,
    to: { first: target.first, sectors: target.sectors },
    name: nameOf(step),
    marks: number,
    undo: emptyVolume(made, 'back'),
    finish: async () => success([]),
  });
}
