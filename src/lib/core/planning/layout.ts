import {
  alignment,
  contains,
  endOf,
  overlaps,
  sameExtent,
  unallocated,
  type Disk,
  type Extent,
  type Partition,
} from '../disk';
import type { Creation, Step } from './steps';

/** A disk between two steps: where partitions may lie and where each one is. Partitions keep their identity. */
export interface Layout {
  usable: Extent;
  /** Where partitions may lie once the backup table is at the true end. */
  relocated: Extent;
  /** In the order of their position. `first` and `sectors` are the present ones. */
  partitions: Partition[];
  /** Recovery partitions that are set aside, by number. */
  aside: readonly Partition[];
  /** Numbers of partitions whose files lie at an outside place, or in another partition, as well. */
  copied: readonly number[];
  /** Numbers of partitions that were decrypted. */
  decrypted: readonly number[];
}

export const layoutOf = (disk: Disk): Layout => ({
  usable: disk.usable,
  relocated: disk.usableRelocated,
  partitions: disk.partitions,
  aside: [],
  copied: [],
  decrypted: [],
});

export const gapsOf = (layout: Layout): Extent[] => unallocated(layout.usable, layout.partitions);

export type Applied = { ok: true; layout: Layout } | { ok: false; reason: string };

const refused = (reason: string): Applied => ({ ok: false, reason });

/** The layout after a step, or a sentence that says why the step is not possible on this layout. */
export function applyStep(disk: Disk, layout: Layout, step: Step): Applied {
  switch (step.verb) {
    case 'relocate-table':
      return sameExtent(layout.usable, layout.relocated)
        ? refused('the backup table is at the end already')
        : { ok: true, layout: { ...layout, usable: layout.relocated } };
    case 'enlarge-disk':
      return enlarge(disk, layout, step.diskSectors);
    case 'create':
      return step.to.sectors <= 0
        ? refused('nothing would be made')
        : placed(disk, layout, madePartition(disk, step));
    case 'put-back':
      return putBack(disk, layout, step);
    default:
      return onPartition(disk, layout, step);
  }
}

type OnPartition = Extract<
  Step,
  { verb: 'shrink' | 'move' | 'extend' | 'delete' | 'set-aside' | 'copy' | 'decrypt' }
>;

function onPartition(disk: Disk, layout: Layout, step: OnPartition): Applied {
  const before = layout.partitions.find((partition) => partition.number === step.partition);
  const number = step.partition;
  if (step.verb === 'copy') {
    if (step.into === undefined) {
      return before ? { ok: true, layout } : refused(`there is no partition ${number} to copy back into`);
    }
    if (!before) return refused(`there is no partition ${number}`);
    return { ok: true, layout: { ...layout, copied: [...layout.copied, number] } };
  }
  if (!before) return refused(`there is no partition ${number}`);
  if (step.verb === 'decrypt')
    return { ok: true, layout: { ...layout, decrypted: [...layout.decrypted, number] } };
  if (!sameExtent(before, step.from)) return refused(`partition ${number} is not where the step expects it`);
  if (step.verb === 'delete' || step.verb === 'set-aside') {
    const holds = layout.partitions.some((one) => one.kind === 'logical');
    if (before.kind === 'extended' && holds) return refused('it still holds logical drives');
    const partitions = layout.partitions.filter((partition) => partition !== before);
    const aside = step.verb === 'set-aside' ? [...layout.aside, before] : layout.aside;
    return { ok: true, layout: { ...layout, partitions, aside } };
  }
  const { from, to } = step;
  if (to.sectors <= 0) return refused('nothing would be left of it');
  // An extended partition is a frame: either end of it may change without what lies inside.
  const frame = before.kind === 'extended';
  const shape = {
    shrink: (frame ? contains(from, to) : to.first === from.first) && to.sectors < from.sectors,
    extend: (frame ? contains(to, from) : to.first === from.first) && to.sectors > from.sectors,
    move: !frame && to.first !== from.first && to.sectors === from.sectors,
  };
  if (!shape[step.verb]) return refused(`that is no ${step.verb}`);
  const others = { ...layout, partitions: layout.partitions.filter((one) => one !== before) };
  return placed(disk, others, { ...before, ...to });
}

/** The layout with one more partition, if it fits. */
function placed(disk: Disk, layout: Layout, partition: Partition): Applied {
  const hit = misfit(disk, layout, partition);
  if (hit) return refused(hit);
  const partitions = [...layout.partitions, partition].sort(
    (a, b) => a.first - b.first || b.sectors - a.sectors,
  );
  return { ok: true, layout: { ...layout, partitions } };
}

function misfit(disk: Disk, layout: Layout, partition: Partition): string | null {
  const { partitions } = layout;
  if (partition.kind === 'logical') {
    const frame = partitions.find((one) => one.kind === 'extended');
    if (!frame || !contains(frame, partition)) return 'it would leave the extended partition';
    // In practice a logical drive has a gap of 1 MiB before it, for its record (domain facts 3).
    const slot = alignment(disk);
    const drives = partitions.filter((one) => one.kind === 'logical');
    const found = disk.partitions.find((one) => one.number === partition.number);
    const still = found !== undefined && found.first === partition.first;
    const room = (at: number) => partition.first - at;
    if (!still && room(frame.first) < slot) return 'no room would be left for its record';
    for (const drive of drives) {
      if (overlaps(drive, partition)) return `it would overlap partition ${drive.number}`;
      const [left, right] = drive.first < partition.first ? [drive, partition] : [partition, drive];
      const gap = right.first - endOf(left);
      const asFound = disk.partitions.find((one) => one.number === right.number);
      if (gap < slot && (right === partition ? !still : asFound?.first !== right.first || gap < 1)) {
        return 'no room would be left for the record of a logical drive';
      }
    }
    return null;
  }
  if (!contains(layout.usable, partition)) return 'it would leave the usable area';
  if (partition.kind === 'extended') {
    const outside = partitions.find((one) => one.kind === 'logical' && !contains(partition, one));
    if (outside) return `logical drive ${outside.number} would lie outside`;
  }
  const hit = partitions.find((one) => one.kind !== 'logical' && overlaps(one, partition));
  return hit ? `it would overlap partition ${hit.number}` : null;
}

function enlarge(disk: Disk, layout: Layout, diskSectors: number): Applied {
  const more = diskSectors - disk.sectors;
  if (disk.media !== 'virtual') return refused('only a virtual disk can be enlarged');
  if (more <= 0) return refused('the disk would not become larger');
  const relocated = { first: layout.relocated.first, sectors: layout.relocated.sectors + more };
  // An MBR has no copy at the end: the new room counts at once.
  return {
    ok: true,
    layout: { ...layout, relocated, usable: disk.table === 'mbr' ? relocated : layout.usable },
  };
}

function putBack(disk: Disk, layout: Layout, step: Extract<Step, { verb: 'put-back' }>): Applied {
  const before = layout.aside.find((partition) => partition.number === step.partition);
  if (!before) return refused(`partition ${step.partition} is not set aside`);
  const aside = layout.aside.filter((partition) => partition !== before);
  return placed(disk, { ...layout, aside }, { ...before, ...step.to });
}

function madePartition(disk: Disk, step: Extract<Step, { verb: 'create' }>): Partition {
  const frame = disk.partitions.find((one) => one.kind === 'extended');
  const { create, to } = step;
  return {
    ...to,
    number: step.partition,
    type: create.type,
    id: step.id,
    attributes: create.attributes,
    name: create.name,
    kind: frame && contains(frame, to) ? 'logical' : 'primary',
    active: false,
    letter: null,
    role: 'data',
    volume: volumeOf(create, to.sectors * disk.sectorSize),
  };
}

const volumeOf = (create: Creation, size: number): Partition['volume'] => ({
  fileSystem: create.fileSystem,
  label: create.label,
  clusterSize: create.clusterSize,
  size,
  used: 0,
  smallestRunning: null,
  smallestOffline: null,
  lastUsed: null,
  clusterMap: null,
  dirty: false,
  encryption: { state: 'off', percent: 0, usedOnly: true },
});

/** The layout after a step, with the files that a copy brings where they then lie. */
export function applyFully(disk: Disk, layout: Layout, step: Step): Applied {
  const applied = applyStep(disk, layout, step);
  return applied.ok ? { ok: true, layout: filled(disk, applied.layout, step) } : applied;
}

/**
 * The layouts as found and after each step, one more than there are steps.
 * @throws Error if a step is not possible on the layout before it: routes are made of possible steps only
 */
export function layoutsAlong(disk: Disk, steps: readonly Step[]): Layout[] {
  const layouts = [layoutOf(disk)];
  for (const step of steps) {
    const result = applyFully(disk, layouts.at(-1)!, step);
    if (!result.ok) throw new Error(`${step.verb} ${step.partition ?? 'table'}: ${result.reason}`);
    layouts.push(result.layout);
  }
  return layouts;
}

/** Files that a copy brings fill the volume that it goes into, for the picture and for what follows. */
function filled(disk: Disk, layout: Layout, step: Step): Layout {
  if (step.verb !== 'copy') return layout;
  const back = step.into === undefined;
  const into = back ? step.partition : 'partition' in step.into ? step.into.partition : null;
  const source = disk.partitions.find((one) => one.number === (back ? step.of : step.partition));
  if (into === null || !source?.volume) return layout;
  const { used, label } = source.volume;
  const { letter } = source;
  const partitions = layout.partitions.map((one) =>
    one.number === into && one.volume ? { ...one, letter, volume: { ...one.volume, used, label } } : one,
  );
  return { ...layout, partitions };
}
