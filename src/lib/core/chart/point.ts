import { scaleLinear, type ScaleLinear } from 'd3-scale';
import { endOf } from '../disk';
import type { Basin } from './strip';
import type { Strip } from './tide';

/**
 * From pixels of a strip, counted from its left end, to sectors of the disk: within a basin places are proportional,
 * whatever the scale; beside the outermost basins their ends are meant.
 */
function sectorScale(strip: Pick<Strip, 'basins'>): ScaleLinear<number, number> {
  let scale = SCALES.get(strip);
  if (!scale) {
    const { basins } = strip;
    scale = scaleLinear()
      .domain(basins.flatMap(({ x, width }) => [x, x + width]))
      .range(basins.flatMap(({ extent }) => [extent.first, endOf(extent)]))
      .clamp(true);
    SCALES.set(strip, scale);
  }
  return scale;
}
/** Strips are never changed in place, and a drag asks for the same one many times in a frame. */
const SCALES = new WeakMap<object, ScaleLinear<number, number>>();

/** The sector at `x` pixels from a strip's left end. */
export const sectorAt = (strip: Pick<Strip, 'basins'>, x: number): number =>
  Math.round(sectorScale(strip)(x));

/** Pixels from a strip's left end at which a sector lies. */
export const pixelAt = (strip: Pick<Strip, 'basins'>, sector: number): number =>
  sectorScale(strip).invert(sector);

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
