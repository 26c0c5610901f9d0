import {
  alignment,
  contains,
  endOf,
  overlaps,
  areSameExtents,
  unallocated,
  type Disk,
  type Extent,
  type Partition,
} from '../disk';
import { success, type Outcome, type Problem } from '../problem';

/** A disk between two steps: where each partition is, and what was done so far. Nothing in it is changed in place. */
export interface Layout {
  /** The kind of table by now. */
  table: Disk['table'];
  /** Area for partitions. */
  usable: Extent;
  /** Area for them once the backup table is at the true end. */
  relocated: Extent;
  /** In the order of their position. `first` and `sectors` are the present ones; numbers stay as found. */
  partitions: readonly Partition[];
  /** Recovery partitions that are set aside. */
  aside: readonly Partition[];
  /** Numbers of partitions whose files lie at an outside place, or in another partition, as well. */
  copied: readonly number[];
  /** Numbers of partitions that were decrypted. */
  decrypted: readonly number[];
  /** The smallest size in bytes that a partition was shrunk to, by its number. */
  smallest: ReadonlyMap<number, number>;
  /** Partitions that hold the files of another by now, by the number of that other. */
  holds: ReadonlyMap<number, number>;
  /** Bytes that outside places still take, by name. */
  outside: ReadonlyMap<string, number>;
  /** Numbers of partitions that were made on the way, gone or not. */
  made: ReadonlySet<number>;
}

/** A place outside the disk that files can be copied to. */
export interface OutsidePlace {
  name: string;
  bytes: number;
}

export const layoutOf = (disk: Disk, outside: readonly OutsidePlace[] = []): Layout => ({
  table: disk.table,
  usable: disk.usable,
  relocated: disk.usableRelocated,
  partitions: disk.partitions,
  aside: [],
  copied: [],
  decrypted: [],
  smallest: new Map(),
  holds: new Map(),
  outside: new Map(outside.map(({ name, bytes }) => [name, bytes])),
  made: new Set(),
});

export const gapsOf = (layout: Pick<Layout, 'usable' | 'partitions'>): Extent[] =>
  unallocated(layout.usable, layout.partitions);

/** The partition of a number as found, or the one that holds its files since it was copied and deleted. */
export const findPartitionNow = (
  { partitions, holds }: Pick<Layout, 'partitions' | 'holds'>,
  number: number,
): Partition | undefined =>
  partitions.find((one) => one.number === number) ??
  partitions.find((one) => one.number === holds.get(number));

/** The next number that no partition of the disk has or had on the way. */
export const nextNumber = (disk: Disk, { made }: Pick<Layout, 'made'>): number =>
  Math.max(0, ...disk.partitions.map((one) => one.number), ...made) + 1;

/** A step that is not possible, with the reason as part of a sentence. */
export const impossible = (reason: string): { ok: false; problems: [Problem] } => ({
  ok: false,
  problems: [{ code: 'impossible', path: '', message: reason }],
});

/** The partition of a number, where it is on the disk and, with `from`, where a step expects it. */
export function partitionAt(layout: Layout, number: number, from?: Extent): Outcome<Partition> {
  const found = layout.partitions.find((partition) => partition.number === number);
  if (!found) return impossible(`there is no partition ${number}`);
  if (from && !areSameExtents(found, from))
    return impossible(`partition ${number} is not where the step expects it`);
  return success(found);
}

export const withoutPartition = (layout: Layout, gone: Partition): Layout => ({
  ...layout,
  partitions: layout.partitions.filter((partition) => partition !== gone),
});

/** The layout with a partition at another place or with another size, if it fits there. */
export const replaced = (disk: Disk, layout: Layout, before: Partition, to: Extent): Outcome<Layout> =>
  placed(disk, withoutPartition(layout, before), { ...before, ...to });

/** The layout with one more partition, if it fits. */
export function placed(disk: Disk, layout: Layout, partition: Partition): Outcome<Layout> {
  const hit = misfit(disk, layout, partition);
  if (hit) return impossible(hit);
  const partitions = [...layout.partitions, partition].sort(
    (a, b) => a.first - b.first || b.sectors - a.sectors,
  );
  return success({ ...layout, partitions });
}

function misfit(disk: Disk, layout: Layout, partition: Partition): string | null {
  const { partitions } = layout;
  if (partition.kind === 'logical') return logicalMisfit(disk, layout, partition);
  if (!contains(layout.usable, partition)) return 'it would leave the usable area';
  if (partition.kind === 'extended') {
    const outside = partitions.find((one) => one.kind === 'logical' && !contains(partition, one));
    if (outside) return `logical drive ${outside.number} would lie outside`;
  }
  const hit = partitions.find((one) => one.kind !== 'logical' && overlaps(one, partition));
  return hit ? `it would overlap partition ${hit.number}` : null;
}

/** In practice a logical drive has a gap of 1 MiB before it, for its record (domain facts 3). */
function logicalMisfit(disk: Disk, { partitions }: Layout, partition: Partition): string | null {
  const frame = partitions.find((one) => one.kind === 'extended');
  if (!frame || !contains(frame, partition)) return 'it would leave the extended partition';
  const slot = alignment(disk);
  const drives = partitions.filter((one) => one.kind === 'logical');
  const found = disk.partitions.find((one) => one.number === partition.number);
  const still = found !== undefined && found.first === partition.first;
  if (!still && partition.first - frame.first < slot) return 'no room would be left for its record';
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
