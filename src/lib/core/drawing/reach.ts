import {
  extenders,
  findFloor,
  gapsOf,
  movers,
  findShrinkers,
  type Able,
  type Intent,
  type Layout,
} from '../steps';
import type { Kit } from '../tools';
import type { Task } from '../planning';
import { alignment, bytesOf, endOf, nameInSentence, type Disk, type Extent, type Partition } from '../disk';
import { roundDown, roundUp } from '../units';

/** Handle of a partition: its right end, its left end, or the whole of it. */
export const HANDLES = ['left', 'body', 'right'] as const;
export type Handle = (typeof HANDLES)[number];

/** Places that a handle can be brought to, in sectors, from `least` to `most`, both included. */
export interface Range {
  least: number;
  most: number;
}

/** Reach of a handle, and what stops it on either side, in sentences. */
export interface Reach {
  /** Position of the handle. */
  at: number;
  /** One range, or for a body one for each dry bed that it fits in; never empty. */
  ranges: Range[];
  stops: { least: string; most: string };
  /** Places that a drag is drawn to, besides whole MiB: neighbours, the other ends of the beds. */
  marks: number[];
}

/** Free extents around and away from a partition, in which it may lie: its own place counts as free. */
export function findFreeExtents(disk: Disk, layout: Layout, partition: Partition): Extent[] {
  const slot = alignment(disk);
  if (partition.kind !== 'logical') {
    return gapsOf({ ...layout, partitions: layout.partitions.filter((one) => one !== partition) });
  }
  const frame = layout.partitions.find((one) => one.kind === 'extended')!;
  const beds: Extent[] = [];
  // Each drive has a gap of 1 MiB before it, for its record (domain facts 3).
  let at = frame.first + slot;
  const drives = layout.partitions.filter((one) => one.kind === 'logical' && one !== partition);
  for (const drive of drives) {
    if (drive.first - slot > at) beds.push({ first: at, sectors: drive.first - slot - at });
    at = endOf(drive) + slot;
  }
  if (endOf(frame) > at) beds.push({ first: at, sectors: endOf(frame) - at });
  return beds;
}

const holding = (beds: readonly Extent[], partition: Extent): Extent =>
  beds.find((bed) => bed.first <= partition.first && endOf(bed) >= endOf(partition)) ?? partition;

/** Reach of a partition's handle on a layout of the disk, with the tools of a kit. */
export function reachOf(task: Task, kit: Kit, layout: Layout, partition: Partition, handle: Handle): Reach {
  const { disk } = task;
  const decrypted = layout.decrypted.includes(partition.number);
  const beds = findFreeExtents(disk, layout, partition);
  const bed = holding(beds, partition);
  const slot = alignment(disk);
  const moves = fixedOr(task, partition, reasonOf(movers(kit, partition, decrypted)));
  const grows = fixedOr(task, partition, reasonOf(extenders(kit, partition, decrypted)));
  const least = leastSectors(task, kit, layout, partition);
  const around = neighbours(disk, layout, bed);
  const marks = beds.flatMap((one) => [one.first, endOf(one)]);
  const [first, end] = [partition.first, endOf(partition)];
  if (handle === 'right') {
    const most = grows ? end : Math.max(end, endOf(bed));
    return {
      at: end,
      ranges: [{ least: first + least.sectors, most }],
      stops: { least: least.why, most: grows || around.right },
      marks,
    };
  }
  if (handle === 'left') {
    // To the right: shrunk, then moved; to the left: moved, then extended.
    const up = moves || grows;
    return {
      at: first,
      ranges: [
        {
          least: up ? first : Math.min(first, roundUp(bed.first, slot)),
          most: moves ? first : end - least.sectors,
        },
      ],
      stops: { least: up || around.left, most: moves || least.why },
      marks,
    };
  }
  const ranges = moves
    ? []
    : beds
        .map((one) => ({
          least: roundUp(one.first, slot),
          most: roundDown(endOf(one) - partition.sectors, slot),
        }))
        .filter((range) => range.most >= range.least)
        .map((range) =>
          one(range, first)
            ? { least: Math.min(range.least, first), most: Math.max(range.most, first) }
            : range,
        );
  return {
    at: first,
    ranges: ranges.length > 0 ? ranges : [{ least: first, most: first }],
    stops: { least: moves || around.left, most: moves || around.right },
    marks: marks.flatMap((mark) => [mark, mark - partition.sectors]),
  };
}

/** Why none can; empty where one can. */
const reasonOf = (able: Able): string => (able.ok ? '' : able.problems[0]!.message);

const one = ({ least, most }: Range, at: number): boolean => at >= least - 1 && at <= most + 1;

const fixedOr = (task: Task, partition: Partition, reason: string): string =>
  task.fixed.has(partition.number) ? `${nameInSentence(partition)} is kept fixed.` : reason;

function leastSectors(
  task: Task,
  kit: Kit,
  layout: Layout,
  partition: Partition,
): { sectors: number; why: string } {
  const { disk } = task;
  const decrypted = layout.decrypted.includes(partition.number);
  const made = !disk.partitions.some((one) => one.number === partition.number);
  if (made)
    return {
      sectors: partition.sectors,
      why: 'A volume that the drawing makes is never shrunk: make it smaller.',
    };
  const none = findShrinkers(kit, disk, partition, decrypted, 0);
  const why = fixedOr(task, partition, reasonOf(none));
  const floors = kit.tools.flatMap((tool) => {
    const floor = findFloor(disk, partition, tool);
    const fits = floor !== null && findShrinkers(kit, disk, partition, decrypted, floor).ok;
    return fits ? [floor] : [];
  });
  const fixed = task.fixed.has(partition.number);
  const bytes = fixed || floors.length === 0 ? bytesOf(disk, partition) : Math.min(...floors);
  return { sectors: Math.min(partition.sectors, Math.ceil(bytes / disk.sectorSize)), why };
}

/** Neighbours on either side of a partition's bed. */
function neighbours(disk: Disk, layout: Layout, bed: Extent): { left: string; right: string } {
  const { partitions } = layout;
  const left = partitions.filter((one) => endOf(one) <= bed.first).at(-1);
  const right = partitions.find((one) => one.first >= endOf(bed));
  return {
    left: left ? `${nameInSentence(left)} is in the way.` : 'The usable area of the disk begins here.',
    right: right ? `${nameInSentence(right)} is in the way.` : 'The usable area of the disk ends here.',
  };
}

/** End of a drag: within the reach, on a mark that is near, else on a whole MiB. */
export interface Rest {
  at: number;
  /** The sentence of the stop that was run into; empty where none was. */
  stop: string;
}

/**
 * @param wanted sector where the pointer is
 * @param near sectors within which a mark draws the handle to it
 */
export function findRest(disk: Disk, { ranges, stops, marks }: Reach, wanted: number, near: number): Rest {
  const slot = alignment(disk);
  const range = ranges.reduce((best, one) => (distance(one, wanted) < distance(best, wanted) ? one : best));
  if (wanted < range.least) return { at: range.least, stop: stops.least };
  if (wanted > range.most) return { at: range.most, stop: stops.most };
  const inside = marks.filter((mark) => mark >= range.least && mark <= range.most && mark % slot === 0);
  const mark = inside.reduce<number | null>(
    (best, one) =>
      Math.abs(one - wanted) <= near && (best === null || Math.abs(one - wanted) < Math.abs(best - wanted))
        ? one
        : best,
    null,
  );
  const at = mark ?? Math.round(wanted / slot) * slot;
  return { at: Math.min(range.most, Math.max(range.least, at)), stop: '' };
}

const distance = ({ least, most }: Range, at: number): number => Math.max(0, least - at, at - most);

/** The steps that bring a handle to a place; none where it stands there. */
export function makeIntents(partition: Partition, handle: Handle, at: number): Intent[] {
  const { first, sectors } = partition;
  const end = first + sectors;
  if (handle === 'body') return makeIntentsTo(partition, { first: at, sectors });
  return makeIntentsTo(
    partition,
    handle === 'right' ? { first, sectors: at - first } : { first: at, sectors: end - at },
  );
}

/** The steps that bring a partition to an extent. Where start and size change it takes two (domain facts 7). */
export function makeIntentsTo({ number, first, sectors }: Partition, to: Extent): Intent[] {
  const move: Intent[] = to.first === first ? [] : [{ verb: 'move', partition: number, first: to.first }];
  if (to.sectors < sectors) {
    return [{ verb: 'shrink', partition: number, to: { first, sectors: to.sectors } }, ...move];
  }
  return to.sectors > sectors ? [...move, { verb: 'extend', partition: number, to }] : move;
}
