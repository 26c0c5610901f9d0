import { layoutOf, layoutsAlong, type Layout, type Step } from '../steps';
import type { Disk } from '../disk';
import { certain } from '../problem';
import { stripOf, type Basin, type StripOptions } from './strip';

/** A strip of the tide chart: the disk at one moment. Pixels from the chart's upper left corner. */
export interface Strip {
  /** 0 as found, n after step n. */
  index: number;
  y: number;
  basins: Basin[];
}

/** Where a partition goes from one strip to the next: a closed SVG path. */
export interface Band {
  key: string;
  from: Basin;
  to: Basin;
  /** The strip above. */
  strip: number;
  path: string;
  /** It does not run straight down. */
  bends: boolean;
}

export interface TideChart {
  width: number;
  height: number;
  stripHeight: number;
  strips: Strip[];
  bands: Band[];
}

export interface TideOptions extends StripOptions {
  stripHeight: number;
  /** Pixels between two strips, in which the bands flow. */
  flow: number;
}

/** The geometry of a tide chart: the disk as found, after each step, and the bands between. */
export const tideChart = (disk: Disk, steps: readonly Step[], options: TideOptions): TideChart =>
  chartOf(disk, certain(layoutsAlong(disk, steps)), options);

function chartOf(disk: Disk, layouts: readonly Layout[], options: TideOptions): TideChart {
  const strips = stripsOf(disk, layouts, options);
  const bands = strips.slice(1).flatMap((below, i) => bandsBetween(strips[i]!, below, options.stripHeight));
  return {
    width: options.width,
    height: (strips.at(-1)?.y ?? 0) + options.stripHeight,
    stripHeight: options.stripHeight,
    strips,
    bands,
  };
}

/** The strips alone, one for each layout. */
export const stripsOf = (disk: Disk, layouts: readonly Layout[], options: TideOptions): Strip[] =>
  layouts.map((layout, index) => oneStrip(disk, layout, index, options));

/** The strip of the layout after so many steps. */
export const oneStrip = (disk: Disk, layout: Layout, index: number, options: TideOptions): Strip => ({
  index,
  y: index * (options.stripHeight + options.flow),
  basins: stripOf(disk, layout, options),
});

/** Two surveys of one disk, one under the other; `follow` gives the later key of an earlier basin, or null. */
export function twoStrips(
  before: Disk,
  after: Disk,
  follow: (key: string) => string | null,
  options: TideOptions,
): TideChart {
  const strips = [before, after].map((disk, index): Strip => ({
    index,
    y: index * (options.stripHeight + options.flow),
    basins: stripOf(disk, layoutOf(disk), options),
  }));
  return {
    width: options.width,
    height: strips[1]!.y + options.stripHeight,
    stripHeight: options.stripHeight,
    strips,
    bands: bandsBetween(strips[0]!, strips[1]!, options.stripHeight, follow),
  };
}

/**
 * The bands from one strip to the next.
 * @param before bands drawn earlier between strips in the same place: of the same two basins it is the same band
 */
export function bandsBetween(
  above: Strip,
  below: Strip,
  stripHeight: number,
  follow: (key: string) => string | null = (key) => key,
  before: readonly Band[] = [],
): Band[] {
  const landing = new Map(below.basins.map((basin) => [basin.key, basin]));
  let at = 0;
  return above.basins.flatMap((from): Band[] => {
    const key = from.partition && follow(from.key);
    const to = key === null ? undefined : landing.get(key);
    if (!to) return [];
    const old = before[at++];
    if (old?.from === from && old.to === to) return [old];
    return [bandOf(from, to, above.index, above.y + stripHeight, below.y)];
  });
}

function bandOf(from: Basin, to: Basin, strip: number, top: number, bottom: number): Band {
  const middle = (top + bottom) / 2;
  const [fromEnd, toEnd] = [from.x + from.width, to.x + to.width];
  const path = [
    `M${px(from.x)},${px(top)}`,
    `C${px(from.x)},${px(middle)} ${px(to.x)},${px(middle)} ${px(to.x)},${px(bottom)}`,
    `L${px(toEnd)},${px(bottom)}`,
    `C${px(toEnd)},${px(middle)} ${px(fromEnd)},${px(middle)} ${px(fromEnd)},${px(top)}`,
    'Z',
  ].join(' ');
  return {
    key: from.key,
    from,
    to,
    strip,
    path,
    bends: px(from.x) !== px(to.x) || px(fromEnd) !== px(toEnd),
  };
}

const px = (value: number): number => Math.round(value * 10) / 10;
