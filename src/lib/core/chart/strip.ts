import {
  basinName,
  bytesOf,
  unallocated,
  worthShowing,
  type Disk,
  type Extent,
  type Partition,
} from '../disk';
import { gapsOf, type Layout } from '../planning';
import { shareWidth, type ScaleKind } from './scale';

/** One basin of a strip: a partition, or the dry bed of unallocated space. Pixels from the strip's left end. */
export interface Basin {
  /** The same in all strips for the same partition; beds are told apart by where they start. */
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
  /** How much of a label the width allows. */
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

const FULL_LABEL = 80;
const SHORT_LABEL = 20;

/** Lays out the basins of one disk layout in the order of their position. Gaps below 1 MiB get none. */
export function stripOf(disk: Disk, layout: Layout, options: StripOptions): Basin[] {
  // An extended partition is a frame, not a basin: what lies inside it is shown in its place.
  const partitions = layout.partitions.filter((partition) => partition.kind !== 'extended');
  const logical = partitions.filter((partition) => partition.kind === 'logical');
  const inside = layout.partitions
    .filter((partition) => partition.kind === 'extended')
    .flatMap((extended) => unallocated(extended, logical.map(extentOf)));
  const beds = [...gapsOf(layout), ...inside].filter((gap) => worthShowing(disk, gap));
  const pieces = [
    ...partitions.map((partition) => ({ partition, extent: extentOf(partition) })),
    ...beds.map((extent) => ({ partition: null, extent })),
  ].sort((a, b) => a.extent.first - b.extent.first);
  if (pieces.length === 0) return [];

  const room = options.width - options.gap * (pieces.length - 1);
  const widths = shareWidth(
    pieces.map(({ extent }) => ({ sectors: extent.sectors, least: options.leastWidth })),
    room,
    options.scale,
  );
  let x = 0;
  return pieces.map(({ partition, extent }, i): Basin => {
    const width = widths[i]!;
    const size = bytesOf(disk, extent);
    const used = partition?.volume?.used ?? null;
    const basin: Basin = {
      key: partition ? `p${partition.number}` : `bed${extent.first}`,
      partition,
      extent,
      size,
      used,
      level: used === null ? null : Math.min(1, used / size),
      x,
      width,
      label: width >= FULL_LABEL ? 'full' : width >= SHORT_LABEL ? 'short' : 'none',
      name: partition ? basinName(partition) : 'Unallocated',
    };
    x += width + options.gap;
    return basin;
  });
}

const extentOf = ({ first, sectors }: Extent): Extent => ({ first, sectors });
