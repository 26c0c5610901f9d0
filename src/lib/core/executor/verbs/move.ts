import { alignment, overlaps, TYPE } from '../../disk';
import { success } from '../../problem';
import type { StepOf } from '../../steps';
import type { Extents, Operation } from '../plan';
import { mbrChange, type MbrNow } from '../table/mbrImage';
import type { PartitionNow } from '../table/tableNow';
import { startChanges } from '../volumes/startSectors';
import { findUsedExtents, type Use } from '../volumes/usedExtents';
import {
  bytesAt,
  placeOperation,
  findPartitionFor,
  slotOf,
  unsoundOf,
  type PlanContext,
  type Planned,
} from './ground';

/**
 * What is in use goes to the new place, then the boot sectors name the new start, then the table. To a place clear of
 * the old one it is copied; to one that overlaps it slides, from the far end (domain facts 9).
 */
export async function planMove(ground: PlanContext, step: StepOf<'move'>): Promise<Planned> {
  const found = findPartitionFor(ground, step);
  if (!found.ok) return found;
  const partition = found.value;
  const problem = await unsoundOf(ground, step, partition);
  if (problem) return { ok: false, problems: [problem] };
  const { disk } = ground;
  const { to } = step;
  const size = partition.sectors * disk.sectorSize;
  const [fromAt, toAt] = [partition.first * disk.sectorSize, to.first * disk.sectorSize];
  const use: Use =
    partition.type === TYPE.reserved
      ? { kind: 'unknown', extents: [] }
      : await findUsedExtents(bytesAt(disk, partition), disk.sectorSize);
  const operations: Operation[] = [];
  const record = ground.table.kind === 'mbr' && partition.kind === 'logical';
  const early = record && to.first < partition.first ? await recordFirst(ground, partition, to.first) : null;
  if (early) operations.push(...early.operations);
  operations.push(moving(partition, to.first, { fromAt, toAt, size, extents: use.extents }));
  const starts = await startChanges(disk, use.kind, {
    readAt: fromAt,
    writeAt: toAt,
    size,
    was: partition.first,
    is: to.first,
  });
  if (starts.length > 0) operations.push({ op: 'change', on: 'disk', groups: starts });
  operations.push(
    ...(early
      ? await early.last(to)
      : await placeOperation(
          ground,
          partition,
          to,
          record ? recordFor(ground, partition, to.first) : undefined,
        )),
  );
  return success({ operations });
}

function moving(
  partition: PartitionNow,
  first: number,
  { fromAt, toAt, size, extents }: { fromAt: number; toAt: number; size: number; extents: Extents },
): Operation {
  return overlaps(partition, { first, sectors: partition.sectors })
    ? { op: 'slide', fromAt, toAt, length: size, extents }
    : { op: 'copy', from: 'disk', fromAt, to: 'disk', toAt, extents };
}

/**
 * Where a logical drive's record goes with it: as far before it as it was, at most a MiB; the first one never moves.
 */
function recordFor({ table, disk }: PlanContext, partition: PartitionNow, first: number): number {
  const { named } = slotOf(table, partition);
  if (table.kind === 'mbr' && table.mbr.chain[0]?.at === named) return named;
  return first - Math.min(partition.first - named, alignment(disk));
}

/**
 * A logical drive that goes to the left would run over its own record. So the record goes first, while the drive is
 * where it was, and names the new place when the drive has arrived.
 */
async function recordFirst(
  ground: PlanContext,
  partition: PartitionNow,
  first: number,
): Promise<{
  operations: Operation[];
  last: (to: { first: number; sectors: number }) => Promise<Operation[]>;
}> {
  const { disk, table } = ground;
  if (table.kind !== 'mbr') throw new Error('that is no master boot record');
  const slot = slotOf(table, partition);
  const recordAt = recordFor(ground, partition, first);
  const stays = { first: partition.first, sectors: partition.sectors };
  const groups = await mbrChange(disk, table.mbr, { slot, to: stays, recordAt });
  const moved: MbrNow = {
    ...table.mbr,
    chain: table.mbr.chain.map((link) => (link.at === slot.named ? { ...link, at: recordAt } : link)),
  };
  return {
    operations: groups.length > 0 ? [{ op: 'change', on: 'disk', groups }] : [],
    async last(to) {
      const then = await mbrChange(disk, moved, { slot: { ...slot, named: recordAt }, to }, groups);
      return then.length > 0 ? [{ op: 'change', on: 'disk', groups: then }] : [];
    },
  };
}
