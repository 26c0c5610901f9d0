import { contains, overlaps, sameExtent, unallocated, type Disk, type Extent, type Partition } from '../disk';
import type { Step } from './steps';

/** A disk between two steps: where partitions may lie and where each one is. Partitions keep their identity. */
export interface Layout {
  usable: Extent;
  /** In the order of their position. `first` and `sectors` are the present ones. */
  partitions: Partition[];
}

export const layoutOf = (disk: Disk): Layout => ({ usable: disk.usable, partitions: disk.partitions });

export const gapsOf = (layout: Layout): Extent[] => unallocated(layout.usable, layout.partitions);

/** The layout after a step, or a sentence that says why the step is not possible on this layout. */
export function applyStep(
  disk: Disk,
  layout: Layout,
  step: Step,
): { ok: true; layout: Layout } | { ok: false; reason: string } {
  const refused = (reason: string) => ({ ok: false, reason }) as const;
  if (step.verb === 'relocate-table') {
    if (sameExtent(layout.usable, disk.usableRelocated))
      return refused('the backup table is at the end already');
    return { ok: true, layout: { ...layout, usable: disk.usableRelocated } };
  }
  const before = layout.partitions.find((partition) => partition.number === step.partition);
  if (!before) return refused(`there is no partition ${step.partition}`);
  if (!sameExtent(before, step.from))
    return refused(`partition ${step.partition} is not where the step expects it`);
  const { from, to } = step;
  if (to.sectors <= 0) return refused('nothing would be left of it');
  const shape = {
    shrink: to.first === from.first && to.sectors < from.sectors,
    extend: to.first === from.first && to.sectors > from.sectors,
    move: to.first !== from.first && to.sectors === from.sectors,
  };
  if (!shape[step.verb]) return refused(`that is no ${step.verb}`);
  if (!contains(layout.usable, to)) return refused('it would leave the usable area');
  const others = layout.partitions.filter(
    (partition) => partition !== before && partition.kind !== 'logical',
  );
  const hit = others.find((partition) => overlaps(partition, to));
  if (hit) return refused(`it would overlap partition ${hit.number}`);
  const partitions = layout.partitions
    .map((partition) => (partition === before ? { ...partition, ...to } : partition))
    .sort((a, b) => a.first - b.first || b.sectors - a.sectors);
  return { ok: true, layout: { ...layout, partitions } };
}

/**
 * The layouts as found and after each step, one more than there are steps.
 * @throws Error if a step is not possible on the layout before it: routes are made of possible steps only
 */
export function layoutsAlong(disk: Disk, steps: readonly Step[]): Layout[] {
  const layouts = [layoutOf(disk)];
  for (const step of steps) {
    const result = applyStep(disk, layouts.at(-1)!, step);
    if (!result.ok) throw new Error(`${step.verb} ${step.partition ?? 'table'}: ${result.reason}`);
    layouts.push(result.layout);
  }
  return layouts;
}
