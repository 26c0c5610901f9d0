import { success } from '../../problem';
import type { StepOf } from '../../steps';
import { growFat, shrinkFat } from '../fat/resizeFat';
import { growNtfs } from '../ntfs/grow';
import { shrinkNtfs } from '../ntfs/shrink';
import type { PartitionNow } from '../table/tableNow';
import { kindOf, type Kind } from '../volumes/usedExtents';
import {
  bytesAt,
  nameOf,
  partitionFor,
  partitionOf,
  placeOperation,
  refused,
  unsoundOf,
  type Ground,
  type Planned,
} from './ground';

/** The table first, then the file system (domain facts 4): until its boot sector says so the volume is smaller than its partition, and whole. */
export async function planExtend(ground: Ground, step: StepOf<'extend'>): Promise<Planned> {
  const found = partitionFor(ground, step);
  if (!found.ok) return found;
  const partition = found.value;
  const table = () => placeOperation(ground, partition, step.to);
  if (partition.kind === 'extended') return success({ operations: await table() });
  const kind = await soundKind(ground, step, partition);
  if (typeof kind !== 'string') return kind;
  const size = step.to.sectors * ground.disk.sectorSize;
  if (kind === 'fat') return growFat(inHand(ground, step, partition, table));
  if (kind !== 'ntfs')
    return refused('not-yet', `${nameOf(step)} holds neither NTFS nor FAT; only those are extended here.`);
  const at = partition.first * ground.disk.sectorSize;
  const grown = await growNtfs('disk', ground.disk, { at, size });
  if (!grown.ok) return grown;
  return success({ operations: [...(await table()), ...grown.value], marks: step.partition });
}

/** The file system first, then the table; of a frame of logical drives the table alone. */
export async function planShrink(ground: Ground, step: StepOf<'shrink'>): Promise<Planned> {
  const found = partitionOf(ground.table, step, ground.before);
  if (!found.ok) return found;
  const partition = found.value;
  const table = () => placeOperation(ground, partition, step.to);
  if (partition.kind === 'extended') return success({ operations: await table() });
  const kind = await soundKind(ground, step, partition);
  if (typeof kind !== 'string') return kind;
  if (kind === 'fat') return shrinkFat(inHand(ground, step, partition, table));
  if (kind === 'ntfs') return shrinkNtfs(inHand(ground, step, partition, table));
  return refused('not-yet', `${nameOf(step)} holds neither NTFS nor FAT; only those are made smaller here.`);
}

async function soundKind(
  ground: Ground,
  step: StepOf<'shrink' | 'extend'>,
  partition: PartitionNow,
): Promise<Kind | Extract<Planned, { ok: false }>> {
  const problem = await unsoundOf(ground, step, partition);
  if (problem) return { ok: false, problems: [problem] };
  if (step.to.first !== partition.first)
    return refused('not-yet', `${nameOf(step)} changes its size at its right end only.`) as Extract<
      Planned,
      { ok: false }
    >;
  return kindOf(bytesAt(ground.disk, partition));
}

const inHand = (
  { disk, told }: Ground,
  step: StepOf<'shrink' | 'extend'>,
  partition: PartitionNow,
  table: () => ReturnType<typeof placeOperation>,
) => ({
  on: 'disk' as const,
  device: disk,
  at: partition.first * disk.sectorSize,
  size: partition.sectors * disk.sectorSize,
  to: step.to.sectors * disk.sectorSize,
  name: nameOf(step),
  marks: step.partition,
  told,
  table,
});
