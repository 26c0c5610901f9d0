import type { Basin } from './strip';
import type { Strip } from './tide';

/**
 * The strips of `next`, with every basin and strip of `before` that is just the same in its place: what did not
 * change is not drawn again.
 */
export function keepStrips(before: readonly Strip[], next: readonly Strip[]): Strip[] {
  return next.map((strip, i) => {
    const old = before[i];
    if (!old) return strip;
    const basins = strip.basins.map((basin, k) => {
      const there = old.basins[k];
      const same = there?.key === basin.key ? there : old.basins.find((one) => one.key === basin.key);
      return same && sameBasin(same, basin) ? same : basin;
    });
    const kept = basins.length === old.basins.length && basins.every((basin, k) => basin === old.basins[k]);
    return kept && old.y === strip.y && old.index === strip.index && old.axis.key === strip.axis.key
      ? old
      : { ...strip, basins };
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
