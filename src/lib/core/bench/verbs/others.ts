import { success } from '../../problem';
import type { StepOf } from '../../steps';
import type { Operation } from '../plan';
import { growNtfs } from '../ntfs/grow';
import { freeSlot, relocated, withEntry } from '../table/gptImage';
import { mbrAdded } from '../table/mbrImage';
import { kindOf, usedExtents } from '../volumes/usedExtents';
import { startChanges } from '../volumes/startSectors';
import { slice } from '../../images/source';
import {
  bytesAt,
  gptOperation,
  mbrChanges,
  nameOf,
  partitionOf,
  placeOperation,
  partitionFor,
  refused,
  slotOf,
  unsoundOf,
  type Ground,
  type Planned,
} from './ground';

/** The table first, then the file system: until its boot sector says so the volume is smaller than its partition, and whole. */
export async function planExtend(ground: Ground, step: StepOf<'extend'>): Promise<Planned> {
  const found = partitionFor(ground, step);
  if (!found.ok) return found;
  const partition = found.value;
  const operations = await placeOperation(ground, partition, step.to);
  if (partition.kind === 'extended') return success({ operations });
  const problem = await unsoundOf(ground, step, partition);
  if (problem) return { ok: false, problems: [problem] };
  const kind = await kindOf(bytesAt(ground.disk, partition));
  if (kind !== 'ntfs')
    return refused('not-yet', `${nameOf(step)} holds no NTFS; only that is extended here so far.`);
  const size = step.to.sectors * ground.disk.sectorSize;
  const grown = await growNtfs(ground.disk, { at: partition.first * ground.disk.sectorSize, size });
  if (!grown.ok) return grown;
  return success({ operations: [...operations, ...grown.value], marks: step.partition });
}

/** Only the frame of logical drives so far: its ends are in the table alone. */
export async function planShrink(ground: Ground, step: StepOf<'shrink'>): Promise<Planned> {
  const found = partitionOf(ground.table, step, ground.before);
  if (!found.ok) return found;
  if (found.value.kind !== 'extended') return refused('not-yet', 'A volume is not made smaller here so far.');
  return success({ operations: await placeOperation(ground, found.value, step.to) });
}

/** One entry of the table; what the partition held is not touched. */
export async function planDelete(ground: Ground, step: StepOf<'delete'>): Promise<Planned> {
  const found = partitionOf(ground.table, step, ground.before);
  return found.ok ? success({ operations: await removal(ground, found.value) }) : found;
}

async function removal(ground: Ground, partition: Parameters<typeof slotOf>[1]): Promise<Operation[]> {
  if (ground.table.kind === 'gpt')
    return [gptOperation(ground.table, (slot) => ({ slot, gone: true }), partition.key)];
  const groups = await mbrChanges(ground, { slot: slotOf(ground.table, partition), to: null });
  return [{ op: 'change', groups }];
}

const asideName = (partition: number): string => `partition-${partition}`;

/** What is in use goes to the run's own store; once it is safe there the entry goes. Logical drives are left alone: Windows would put them back as primary ones. */
export async function planSetAside(ground: Ground, step: StepOf<'set-aside'>): Promise<Planned> {
  const found = partitionOf(ground.table, step, ground.before);
  if (!found.ok) return found;
  if (found.value.kind !== 'primary')
    return refused('not-yet', `${nameOf(step)} is a logical drive; none is set aside here so far.`);
  const problem = await unsoundOf(ground, step, found.value);
  if (problem) return { ok: false, problems: [problem] };
  const { disk } = ground;
  const { extents } = await usedExtents(bytesAt(disk, found.value), disk.sectorSize);
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

/** The way back: its clusters, its boot sectors, and an entry with the type and attributes that it had, on GPT under a GUID of its own. */
export async function planPutBack(ground: Ground, step: StepOf<'put-back'>): Promise<Planned> {
  const { disk, table } = ground;
  const { to, create } = step;
  const name = asideName(step.partition);
  const store = await ground.aside(name);
  const size = to.sectors * disk.sectorSize;
  if (store.size !== size)
    return refused(
      'not-yet',
      `${nameOf(step)} comes back with another size than it had; that is not carried out so far.`,
    );
  const { kind, extents } = await usedExtents(slice(store, 0, size), disk.sectorSize);
  const toAt = to.first * disk.sectorSize;
  const operations: Operation[] = [
    { op: 'copy', from: `aside:${name}`, fromAt: 0, to: 'disk', toAt, extents },
  ];
  const lay = ground.before.findLast((one) => one.verb === 'set-aside' && one.partition === step.partition);
  const was = lay?.from?.first ?? to.first;
  const place = { readAt: 0, writeAt: toAt, size, was, is: to.first };
  const starts = was === to.first ? [] : await startChanges(store, kind, place);
  if (starts.length > 0) operations.push({ op: 'change', groups: starts });
  const full = refused('table-full', 'The partition table has no entry left.');
  if (table.kind === 'mbr') {
    const added = await mbrAdded(disk, table.mbr, { type: Number(create.type), ...to });
    return added ? success({ operations: [...operations, { op: 'change', groups: added }] }) : full;
  }
  const slot = freeSlot(table.gpt);
  if (slot === null) return full;
  const made = {
    type: create.type,
    id: ground.newId(),
    first: to.first,
    last: to.first + to.sectors - 1,
    attributes: BigInt(create.attributes),
    name: create.name,
  };
  operations.push({ op: 'table', before: table.gpt.image, after: withEntry(table.gpt, { slot, made }) });
  return success({ operations });
}

/** The backup copy goes to the true end; only then does the new room count (domain facts 2). */
export async function planRelocate(ground: Ground): Promise<Planned> {
  const { disk, table } = ground;
  if (table.kind !== 'gpt') return refused('no-gpt', 'A disk with a master boot record has no backup table.');
  const after = relocated(table.gpt, Math.floor(disk.size / disk.sectorSize));
  return success({ operations: [{ op: 'table', before: table.gpt.image, after }] });
}

export async function planEnlarge(ground: Ground, step: StepOf<'enlarge-disk'>): Promise<Planned> {
  const before = ground.disk.size;
  const after = step.diskSectors * ground.disk.sectorSize;
  if (after <= before) return refused('no-enlargement', 'The disk has that size already.');
  return success({ operations: [{ op: 'resize', before, after }] });
}
