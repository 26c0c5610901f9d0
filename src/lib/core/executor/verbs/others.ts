import { failure, refusal, success } from '../../problem';
import type { StepOf } from '../../steps';
import type { Operation } from '../plan';
import { relocated } from '../table/gptImage';
import { findUsedExtents } from '../volumes/usedExtents';
import { bringIn } from './bringIn';
import { makeEntry } from './create';
import {
  bytesAt,
  makeGptOperation,
  mbrChanges,
  noEnlargement,
  nameOf,
  partitionOf,
  slotOf,
  unsoundOf,
  type PlanContext,
  type Planned,
} from './ground';

/** One entry of the table; what the partition held is not touched. */
export async function planDelete(ground: PlanContext, step: StepOf<'delete'>): Promise<Planned> {
  const found = partitionOf(ground.table, step, ground.before);
  return found.ok ? success({ operations: await removal(ground, found.value) }) : found;
}

async function removal(ground: PlanContext, partition: Parameters<typeof slotOf>[1]): Promise<Operation[]> {
  if (ground.table.kind === 'gpt')
    return [makeGptOperation(ground.table, (slot) => ({ slot, gone: true }), partition.key)];
  const groups = await mbrChanges(ground, { slot: slotOf(ground.table, partition), to: null });
  return [{ op: 'change', on: 'disk', groups }];
}

const asideName = (partition: number): string => `partition-${partition}`;

/** Used sectors go to the run's own store; once they are safe there the entry goes. */
export async function planSetAside(ground: PlanContext, step: StepOf<'set-aside'>): Promise<Planned> {
  const found = partitionOf(ground.table, step, ground.before);
  if (!found.ok) return found;
  const problem = await unsoundOf(ground, step, found.value);
  if (problem) return { ok: false, problems: [problem] };
  const { disk } = ground;
  const { extents } = await findUsedExtents(bytesAt(disk, found.value), disk.sectorSize);
  const name = asideName(step.partition);
  const store = await ground.aside(name);
  await store.resize(found.value.sectors * disk.sectorSize);
  await store.flush();
  return success({
    operations: [
      {
        op: 'copy',
        from: 'disk',
        fromAt: found.value.first * disk.sectorSize,
        to: `aside:${name}`,
        toAt: 0,
        extents,
      },
      ...(await removal(ground, found.value)),
    ],
  });
}

/**
 * The way back: its clusters, fitted to the size that it gets, its boot sectors, and last an entry with the type and
 * attributes that it had.
 */
export async function planPutBack(ground: PlanContext, step: StepOf<'put-back'>): Promise<Planned> {
  const { to, create, partition } = step;
  const store = asideName(partition);
  const held = await ground.aside(store);
  const lay = ground.before.findLast((one) => one.verb === 'set-aside' && one.partition === partition);
  if (!lay?.from || held.size === 0)
    return refusal('not-aside', `${nameOf(step)} was not set aside in this run.`);
  return bringIn(ground, {
    source: { place: `aside:${store}`, at: 0, size: held.size, first: lay.from.first },
    store,
    to,
    name: nameOf(step),
    marks: partition,
    undo: [],
    finish: () => makeEntry(ground, create, to),
  });
}

/** The backup copy goes to the true end; only then does the new room count (domain facts 2). */
export async function planRelocate(ground: PlanContext): Promise<Planned> {
  const { disk, table } = ground;
  if (table.kind !== 'gpt') return refusal('no-gpt', 'A disk with a master boot record has no backup table.');
  const after = relocated(table.gpt, Math.floor(disk.size / disk.sectorSize));
  return success({ operations: [{ op: 'table', before: table.gpt.image, after }] });
}

export async function planEnlarge(ground: PlanContext, step: StepOf<'enlarge-disk'>): Promise<Planned> {
  const before = ground.disk.size;
  const after = step.diskSectors * ground.disk.sectorSize;
  if (after <= before) return failure(noEnlargement);
  return success({ operations: [{ op: 'resize', before, after }] });
}
