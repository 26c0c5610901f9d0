import type { Step } from '../../steps';
import type { PartitionNow } from '../table/tableNow';
import type { Inventory } from './inventory';

/** A route's effect on the bytes of a partition. */
export interface Moved {
  /** Its first sector before the route. */
  from: number;
  /** A step is about it. */
  touched: boolean;
  /** `all`: they go elsewhere; `beyond`: those from that byte of the volume on do; `none`: they stay where they lie. */
  bytes: 'all' | 'none' | { beyond: number };
}

type Place = { first: number; sectors: number };

/** Final place of a partition's content; null: deleted for good. */
export interface MovedExtent {
  place: Place | null;
  /** A step is about it. */
  touched: boolean;
  /** Its content is in another partition now, that the route made. */
  copied: boolean;
}

/** Fate of a partition, as found before the route or by its place after it. */
export function movedOf(
  partition: PartitionNow,
  sectorSize: number,
  { steps, before }: { steps: readonly Step[]; before: Inventory | null },
): Moved {
  if (!before) return movedBefore(partition, sectorSize, steps);
  const own = before.partitions.find((one) => {
    const { place } = findNewPlace(steps, one);
    return place?.first === partition.first && (one.kind === 'extended') === (partition.kind === 'extended');
  });
  // One that the route made holds nothing that was there before.
  return own?.moved ?? { from: -1, touched: true, bytes: 'none' };
}

function movedBefore(held: PartitionNow, sectorSize: number, steps: readonly Step[]): Moved {
  const from = held.first;
  const first = firstAbout(steps, held);
  if (!first || first.partition === null) return { from, touched: false, bytes: 'none' };
  const number = first.partition;
  let beyond = Infinity;
  for (const step of steps) {
    const about =
      step.partition === number || (step.verb === 'copy' && 'fromOutside' in step && step.of === number);
    if (!about) continue;
    if (!['shrink', 'extend', 'delete'].includes(step.verb)) return { from, touched: true, bytes: 'all' };
    if (step.verb === 'shrink') beyond = Math.min(beyond, step.to.sectors * sectorSize);
  }
  return { from, touched: true, bytes: beyond === Infinity ? 'none' : { beyond } };
}

const firstAbout = (steps: readonly Step[], held: Pick<PartitionNow, 'id' | 'first' | 'sectors'>) =>
  steps.find(
    ({ from, id }) =>
      (id !== null && id.toUpperCase() === held.id) ||
      (from !== null && from.first === held.first && from.sectors === held.sectors),
  );

export function findNewPlace(
  steps: readonly Step[],
  held: Pick<PartitionNow, 'id' | 'first' | 'sectors'>,
): MovedExtent {
  const own = { first: held.first, sectors: held.sectors };
  const first = firstAbout(steps, held);
  if (!first || first.partition === null) return { place: own, touched: false, copied: false };
  const number = first.partition;
  const place = finalPlace(steps, number, own);
  const copy = steps.findLast(
    (step) =>
      step.verb === 'copy' &&
      ('fromOutside' in step ? step.of === number : step.partition === number && 'partition' in step.into),
  );
  if (place || copy?.verb !== 'copy') return { place, touched: true, copied: false };
  const into =
    'fromOutside' in copy ? copy.partition : 'partition' in copy.into ? copy.into.partition : number;
  return { place: finalPlace(steps, into, null), touched: true, copied: true };
}

/** Final place of a partition, by its number. */
function finalPlace(steps: readonly Step[], number: number, found: Place | null): Place | null {
  let place = found;
  for (const step of steps) {
    if (step.partition !== number || step.verb === 'copy' || step.verb === 'decrypt') continue;
    place = 'to' in step ? step.to : place;
  }
  return place;
}

/** Places of partitions that the route made and left. */
export const listMadePlaces = (steps: readonly Step[]): Place[] =>
  steps.flatMap((step) => (step.verb === 'create' ? (finalPlace(steps, step.partition, null) ?? []) : []));
