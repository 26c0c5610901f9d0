import { refusal, success } from '../../problem';
import type { StepOf } from '../../steps';
import { growFat, shrinkFat } from '../fat/resizeFat';
import { growNtfs } from '../ntfs/grow';
import { shrinkNtfs } from '../ntfs/shrink';
import type { PartitionNow } from '../table/tableNow';
import type { Resizing } from '../volumes/resizing';
import { kindOf } from '../volumes/usedExtents';
import {
  bytesAt,
  nameOf,
  findPartitionFor,
  partitionOf,
  placeOperation,
  unsoundOf,
  type PlanContext,
  type Planned,
} from './ground';

/**
 * The table first, then the file system (domain facts 4): until its boot sector says so the volume is smaller than its
 * partition, and whole.
 */
export const planExtend = (ground: PlanContext, step: StepOf<'extend'>): Promise<Planned> =>
  resized(ground, step, findPartitionFor(ground, step), async (kind, volume) => {
    if (kind === 'fat') return growFat(volume);
    const grown = await growNtfs('disk', volume.device, { at: volume.at, size: volume.to });
    if (!grown.ok) return grown;
    return success({ operations: [...(await volume.table()), ...grown.value], marks: step.partition });
  });

/** The file system first, then the table; of a frame of logical drives the table alone. */
export const planShrink = (ground: PlanContext, step: StepOf<'shrink'>): Promise<Planned> =>
  resized(ground, step, partitionOf(ground.table, step, ground.before), (kind, volume) =>
    kind === 'fat' ? shrinkFat(volume) : shrinkNtfs(volume),
  );

async function resized(
  ground: PlanContext,
  step: StepOf<'shrink' | 'extend'>,
  found: ReturnType<typeof findPartitionFor>,
  plan: (kind: 'ntfs' | 'fat', volume: Resizing) => Promise<Planned>,
): Promise<Planned> {
  if (!found.ok) return found;
  const partition = found.value;
  const table = () => placeOperation(ground, partition, step.to);
  if (partition.kind === 'extended') return success({ operations: await table() });
  const problem = await unsoundOf(ground, step, partition);
  if (problem) return { ok: false, problems: [problem] };
  if (step.to.first !== partition.first)
    return refusal('not-yet', `${nameOf(step)} changes its size at its right end only.`);
  const kind = await kindOf(bytesAt(ground.disk, partition));
  if (kind !== 'ntfs' && kind !== 'fat')
    return refusal(
      'not-yet',
      `${nameOf(step)} holds neither NTFS nor FAT; only those get another size here.`,
    );
  return plan(kind, inHand(ground, step, partition, table));
}

const inHand = (
  { disk, told }: PlanContext,
  step: StepOf<'shrink' | 'extend'>,
  partition: PartitionNow,
  table: () => ReturnType<typeof placeOperation>,
): Resizing => ({
  on: 'disk',
  device: disk,
  at: partition.first * disk.sectorSize,
  size: partition.sectors * disk.sectorSize,
  to: step.to.sectors * disk.sectorSize,
  name: nameOf(step),
  marks: step.partition,
  told,
  table,
});
