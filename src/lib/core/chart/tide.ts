import type { Layout } from '../steps';
import type { Disk } from '../disk';
import { axisOf, type Axis } from './axis';
import { drawStrip, type Basin, type StripOptions } from './strip';

/** A strip of the tide chart: the disk at one moment. Pixels from the chart's upper left corner. */
export interface Strip {
  /** 0 as found, n after step n. */
  index: number;
  y: number;
  basins: Basin[];
  /** The one that all strips of the chart share. */
  axis: Axis;
}

/** Path of a partition from one strip to the next: closed, in SVG. */
export interface Band {
  key: string;
  from: Basin;
  to: Basin;
  path: string;
}

export interface TideOptions extends StripOptions {
  stripHeight: number;
  /** Pixels between two strips, in which the bands flow. */
  flow: number;
}

/**
 * The strips of a tide chart, one for each layout: the disk as found, then after each step.
 * @param beside layouts of a chart that stands beside it and has the same axis
 */
export function stripsOf(
  disk: Disk,
  layouts: readonly Layout[],
  options: TideOptions,
  beside: readonly Layout[] = [],
): Strip[] {
  const axis = axisOf(
    [...layouts, ...beside].map((layout) => ({ disk, layout })),
    options,
  );
  return layouts.map((layout, index) => drawOneStrip(disk, layout, index, axis, options));
}

/** The strip of the layout after so many steps. */
export const drawOneStrip = (
  disk: Disk,
  layout: Layout,
  index: number,
  axis: Axis,
  { gap, stripHeight, flow }: Pick<TideOptions, 'gap' | 'stripHeight' | 'flow'>,
): Strip => ({
  index,
  y: index * (stripHeight + flow),
  basins: drawStrip(disk, layout, axis, gap),
  axis,
});

/** Pixels from the top of the first strip to the bottom of the last. */
export const heightOf = (strips: readonly Strip[], { stripHeight }: TideOptions): number =>
  (strips.at(-1)?.y ?? 0) + stripHeight;

/**
 * The bands from one strip to the next.
 * @param follow the key below of a basin above; null where it is not there any more
 * @param before bands drawn earlier between strips in the same place: of the same two basins it is the same band
 */
export function computeBands(
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
    return [bandOf(from, to, above.y + stripHeight, below.y)];
  });
}

const bandOf = (from: Basin, to: Basin, top: number, bottom: number): Band => ({
  key: from.key,
  from,
  to,
  path: drawFlow(from, to, top, bottom),
});

/** The way from one stretch of a strip to another of the next, as a closed SVG path. Pixels. */
export function drawFlow(
  from: Pick<Basin, 'x' | 'width'>,
  to: Pick<Basin, 'x' | 'width'>,
  top: number,
  bottom: number,
): string {
  const middle = (top + bottom) / 2;
  const [fromEnd, toEnd] = [from.x + from.width, to.x + to.width];
  return [
    `M${px(from.x)},${px(top)}`,
    `C${px(from.x)},${px(middle)} ${px(to.x)},${px(middle)} ${px(to.x)},${px(bottom)}`,
    `L${px(toEnd)},${px(bottom)}`,
    `C${px(toEnd)},${px(middle)} ${px(fromEnd)},${px(middle)} ${px(fromEnd)},${px(top)}`,
    'Z',
  ].join(' ');
}

const px = (value: number): number => Math.round(value * 10) / 10;
