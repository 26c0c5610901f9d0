import { scaleLinear } from 'd3-scale';
import { endOf, type Disk, type Extent } from '../disk';
import type { Layout } from '../steps';
import type { ScaleKind } from './scale';
import { piecesOf } from './strip';

/** Place of a sector of the disk on a chart, the same for all of its strips: monotone, straight between two knots. */
export interface Axis {
  /** Pixels from the left end of the strips. */
  pixelAt: (sector: number) => number;
  /** Beyond either end the end is meant. */
  sectorAt: (pixel: number) => number;
  /** The same for the same axis. */
  key: string;
}

export interface AxisOptions {
  width: number;
  scale: ScaleKind;
  /** Pixels between two basins. */
  gap: number;
  /** Pixels that a partition needs on the legible scale. */
  leastWidth: number;
}

/** A bed needs no more to be seen and taken hold of. */
const MIN_BED = 12;

/** Two knots by their places in the row, and the pixels that must lie between them. */
interface Need {
  from: number;
  to: number;
  least: number;
}

/**
 * One axis for all strips of a chart. *True* is proportional. *Legible* has a knot at every bound of every strip: each
 * stretch between two knots is as wide as its sectors ask for, and wider where a partition of some strip would be
 * narrower than its least width. Where even the least widths do not fit, all are scaled down alike.
 */
export function axisOf(moments: readonly { disk: Disk; layout: Layout }[], options: AxisOptions): Axis {
  const pieces = moments.flatMap(({ disk, layout }) => piecesOf(disk, layout));
  const extents = pieces.map(({ extent }) => extent);
  if (extents.length === 0) return axisThrough([0, 1], [0, options.width]);
  const knots =
    options.scale === 'true'
      ? [Math.min(...extents.map(({ first }) => first)), Math.max(...extents.map(endOf))]
      : [...new Set(extents.flatMap((extent) => [extent.first, endOf(extent)]))].sort((a, b) => a - b);
  if (options.scale === 'true') return axisThrough(knots, [0, options.width]);
  const place = new Map(knots.map((knot, i) => [knot, i]));
  const needOf = ({ first, sectors }: Extent, least: number): Need => ({
    from: place.get(first)!,
    to: place.get(first + sectors)!,
    least: least + options.gap,
  });
  const needs = pieces.map(({ partition, extent }) =>
    needOf(extent, partition ? options.leastWidth : Math.min(MIN_BED, options.leastWidth)),
  );
  return axisThrough(knots, pixelsOf(knots, needs, options.width));
}

/** Pixels of every knot: as wide as sectors ask for, and everything at least as wide as it needs. */
function pixelsOf(knots: readonly number[], needs: readonly Need[], width: number): number[] {
  const endingAt = knots.map((): Need[] => []);
  for (const need of needs) endingAt[need.to]!.push(need);
  const laidOut = (perSector: number): number[] => {
    const at = [0];
    for (let i = 1; i < knots.length; i++) {
      at[i] = at[i - 1]! + perSector * (knots[i]! - knots[i - 1]!);
      for (const { from, least } of endingAt[i]!) at[i] = Math.max(at[i]!, at[from]! + least);
    }
    return at;
  };
  const narrowest = laidOut(0);
  const least = narrowest.at(-1)!;
  if (least >= width) return narrowest.map((pixel) => (pixel * width) / least);
  let low = 0;
  let high = width / (knots.at(-1)! - knots[0]!);
  for (let round = 0; round < ROUNDS; round++) {
    const middle = (low + high) / 2;
    if (laidOut(middle).at(-1)! <= width) low = middle;
    else high = middle;
  }
  const pixels = laidOut(low);
  return pixels.map((pixel) => (pixel * width) / pixels.at(-1)!);
}
/** Halvings until the width is met to a small part of a pixel. */
const ROUNDS = 40;

function axisThrough(knots: readonly number[], pixels: readonly number[]): Axis {
  const scale = scaleLinear().domain(knots).range(pixels).clamp(true);
  return {
    pixelAt: (sector) => scale(sector),
    sectorAt: (pixel) => Math.round(scale.invert(pixel)),
    key: `${knots.join()};${pixels.join()}`,
  };
}
