import { gapsOf, type Layout } from '../steps';
import {
  nameBasin,
  findBeyondTable,
  bytesOf,
  endOf,
  unallocated,
  isWorthShowing,
  type Disk,
  type Extent,
  type Partition,
} from '../disk';
import type { Axis } from './axis';
import { shareWidth, type ScaleKind } from './scale';

/** One basin of a strip: a partition, or the dry bed of unallocated space. Pixels from the strip's left end. */
export interface Basin {
  /** The same in all strips for the same partition; beds are told apart by what lies before them. */
  key: string;
  partition: Partition | null;
  extent: Extent;
  /** Bytes. */
  size: number;
  /** Bytes in use; null where unknown, and for a bed. */
  used: number | null;
  /** Water level, 0..1; null where there is no water to show. */
  level: number | null;
  x: number;
  width: number;
  /** Part of a label that the width allows. */
  label: 'full' | 'short' | 'none';
  name: string;
}

export interface StripOptions {
  width: number;
  scale: ScaleKind;
  /** Pixels between two basins. */
  gap: number;
  /** Pixels that a basin needs on the legible scale. */
  leastWidth: number;
}

/** Name of the bed that the table does not cover. */
const BEYOND = 'beyond';

/** Whether a basin is the bed that counts only once the table has moved to the end. */
export const isBeyondTable = ({ key }: Pick<Basin, 'key'>): boolean => key.startsWith(BEYOND);

const FULL_LABEL = 80;
const SHORT_LABEL = 20;

/** Content of one basin. */
export interface PieceOfStrip {
  key: string;
  partition: Partition | null;
  extent: Extent;
}

/** Content of a strip, in the order of its position: partitions, and the beds of 1 MiB or more between them. */
export function piecesOf(disk: Disk, layout: Layout): PieceOfStrip[] {
  // An extended partition is a frame, not a basin: what lies inside it is shown in its place.
  const partitions = layout.partitions.filter((partition) => partition.kind !== 'extended');
  const logical = partitions.filter((partition) => partition.kind === 'logical');
  const inside = layout.partitions
    .filter((partition) => partition.kind === 'extended')
    .flatMap((extended) => unallocated(extended, logical.map(extentOf)));
  const beyond = findBeyondTable(disk, layout.usable, layout.relocated);
  const beds = [
    ...(beyond ? [{ extent: beyond, kind: BEYOND }] : []),
    ...gapsOf(layout).map((extent) => ({ extent, kind: 'bed' })),
    ...inside.map((extent) => ({ extent, kind: 'frame-bed' })),
  ].filter(({ extent }) => isWorthShowing(disk, extent));
  const pieces = [
    ...partitions.map((partition) => ({ partition, extent: extentOf(partition), kind: '' })),
    ...beds.map((bed) => ({ partition: null, ...bed })),
  ].sort((a, b) => a.extent.first - b.extent.first);
  // A bed is known by what lies before it, so that it stays the same while its bounds move. There may be two, with an
  // empty extended partition between them, or partitions that overlap.
  let before = 0;
  const times = new Map<string, number>();
  return pieces.map(({ partition, extent, kind }) => {
    if (partition) return { partition, extent, key: `p${(before = partition.number)}` };
    const bed = `${kind}${before}`;
    const time = (times.get(bed) ?? 0) + 1;
    times.set(bed, time);
    return { partition, extent, key: time === 1 ? bed : `${bed}/${time}` };
  });
}

/** The extent of a basin on a layout by its key, or null where there is none. */
export const findExtent = (disk: Disk, layout: Layout, key: string): Extent | null =>
  piecesOf(disk, layout).find((piece) => piece.key === key)?.extent ?? null;

/** Lays out the basins of one disk layout in the order of their position. Gaps below 1 MiB get none. */
export function stripOf(disk: Disk, layout: Layout, options: StripOptions): Basin[] {
  const pieces = piecesOf(disk, layout);
  if (pieces.length === 0) return [];

  // A strip that is not on the screen has no width: its gaps must not make widths negative.
  const room = Math.max(0, options.width - options.gap * (pieces.length - 1));
  const widths = shareWidth(
    pieces.map(({ extent }) => ({ sectors: extent.sectors, least: options.leastWidth })),
    room,
    options.scale,
  );
  let x = 0;
  return pieces.map((piece, i): Basin => {
    const width = widths[i]!;
    const basin = basinOf(disk, piece, x, width);
    x += width + options.gap;
    return basin;
  });
}

/**
 * The basins of one strip of a chart whose strips share an axis: what does not move stands still from strip to strip.
 */
export function drawStrip(disk: Disk, layout: Layout, axis: Axis, gap: number): Basin[] {
  return piecesOf(disk, layout).map((piece): Basin => {
    const [start, end] = [axis.pixelAt(piece.extent.first), axis.pixelAt(endOf(piece.extent))];
    // While something is dragged over an axis that stands still, it may become as narrow as that.
    return basinOf(disk, piece, start + gap / 2, Math.max(MIN_SEEN, end - start - gap));
  });
}
/** Pixels. */
const MIN_SEEN = 1;

function basinOf(disk: Disk, { key, partition, extent }: PieceOfStrip, x: number, width: number): Basin {
  const size = bytesOf(disk, extent);
  const used = partition?.volume?.used ?? null;
  return {
    key,
    partition,
    extent,
    size,
    used,
    level: used === null ? null : Math.min(1, used / size),
    x,
    width,
    label: width >= FULL_LABEL ? 'full' : width >= SHORT_LABEL ? 'short' : 'none',
    name: partition ? nameBasin(partition) : isBeyondTable({ key }) ? 'Beyond the table' : 'Unallocated',
  };
}

const extentOf = ({ first, sectors }: Extent): Extent => ({ first, sectors });
