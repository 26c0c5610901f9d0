import { endOf } from '../disk';
import type { Basin } from './strip';
import type { Strip } from './tide';

/**
 * The sector at `x` pixels from a strip's left end. Within a basin places are proportional, whatever the scale; the
 * space between two basins stands for the place where they meet.
 */
export function sectorAt({ basins }: Pick<Strip, 'basins'>, x: number): number {
  const first = basins[0];
  if (!first || x <= first.x) return first?.extent.first ?? 0;
  for (const basin of basins) {
    if (x < basin.x) return basin.extent.first;
    if (x <= basin.x + basin.width) return inside(basin, x);
  }
  return endOf(basins.at(-1)!.extent);
}

const inside = ({ extent, x, width }: Basin, at: number): number =>
  Math.round(extent.first + (extent.sectors * (at - x)) / Math.max(1e-9, width));

/** Pixels from a strip's left end at which a sector lies. */
export function pixelAt({ basins }: Pick<Strip, 'basins'>, sector: number): number {
  for (const { extent, x, width } of basins) {
    if (sector < extent.first) return x;
    if (sector <= endOf(extent)) return x + (width * (sector - extent.first)) / Math.max(1, extent.sectors);
  }
  const last = basins.at(-1);
  return last ? last.x + last.width : 0;
}

/**
 * The strips of `next`, with every basin and strip of `before` that is just the same in its place: what did not
 * change is not drawn again.
 */
export function keptStrips(before: readonly Strip[], next: readonly Strip[]): Strip[] {
  return next.map((strip, i) => {
    const old = before[i];
    if (!old) return strip;
    const basins = strip.basins.map((basin, k) => {
      const there = old.basins[k];
      const same = there?.key === basin.key ? there : old.basins.find((one) => one.key === basin.key);
      return same && sameBasin(same, basin) ? same : basin;
    });
    const kept = basins.length === old.basins.length && basins.every((basin, k) => basin === old.basins[k]);
    return kept && old.y === strip.y && old.index === strip.index ? old : { ...strip, basins };
  });
}

/** Pixels below which nobody sees a difference: sums of widths are not exact. */
const UNSEEN = 0.01;

const sameBasin = (a: Basin, b: Basin): boolean =>
  Math.abs(a.x - b.x) < UNSEEN &&
  Math.abs(a.width - b.width) < UNSEEN &&
  a.extent.first === b.extent.first &&
  a.extent.sectors === b.extent.sectors &&
  a.used === b.used &&
  a.name === b.name &&
  a.partition?.letter === b.partition?.letter;
