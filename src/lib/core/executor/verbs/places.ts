import type { Step } from '../../steps';
import { listPartitionsNow, type PartitionNow } from '../table/tableNow';
import type { PlanContext } from './ground';

/**
 * Where a partition lies that a step is about without naming its place: where a step before left it, else by its GUID,
 * else where a later step expects it. null: nobody says.
 */
export function findPartitionNumbered(
  ground: PlanContext,
  number: number,
  id: string | null,
): PartitionNow | null {
  const all = listPartitionsNow(ground.table);
  const at = (place: { first: number; sectors: number } | null) =>
    place && (all.find((one) => one.first === place.first && one.sectors === place.sectors) ?? null);
  const left = ground.before.findLast((one) => one.partition === number && placed(one));
  if (left) return at(placed(left));
  const known = id === null ? undefined : all.find((one) => one.id === id.toUpperCase());
  if (known) return known;
  return at(ground.after.find((one) => one.partition === number && one.from !== null)?.from ?? null);
}

const placed = (step: Step): { first: number; sectors: number } | null => ('to' in step ? step.to : null);
