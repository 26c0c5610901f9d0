import type { Basin, ScaleKind, TideOptions } from '$core/chart';
import type { Disk } from '$core/disk';
import { formatMib, formatShare, formatSize } from '$core/units';

/** Pixels around the strips, so that a heavy outline is not cut off. */
export const PAD = 3;
/** Pixels from the top of a strip to its bottom, and from there to the next strip. */
export const STRIP_HEIGHT = 58;
export const FLOW = 46;
export const GAP = 3;
/** Below this a basin can't be pointed at. */
const MIN_WIDTH = 9;

/** The measures of a chart of a disk's strips, `room` pixels wide; wider where the basins would get too narrow. */
export function makeTideOptions(disk: Disk, room: number, scale: ScaleKind): TideOptions {
  const basins = disk.partitions.length + 4;
  const width = Math.max(room - 2 * PAD, basins * (MIN_WIDTH + GAP));
  return {
    width,
    scale,
    gap: scale === 'true' ? 0 : GAP,
    leastWidth: Math.max(MIN_WIDTH, Math.min(34, width / (1.6 * basins))),
    stripHeight: STRIP_HEIGHT,
    flow: FLOW,
  };
}

/** How the disk after `index` of so many steps is called. */
export const nameMoment = (index: number, steps: number): string =>
  index === 0 ? 'As found' : index === steps ? 'As left' : `After step ${index}`;

/** What a basin says of itself to those who don't see it. */
export const describeBasin = (basin: Basin, moment: string, sectorSize: number): string =>
  [
    `${moment}: ${basin.name}`,
    formatSize(basin.size),
    basin.used === null ? '' : `${formatShare(basin.used, basin.size)} used`,
    `starts at ${formatMib(basin.extent.first * sectorSize, sectorSize)}`,
  ]
    .filter(Boolean)
    .join(', ');
