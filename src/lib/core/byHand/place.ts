import { alignment, endOf, type Disk, type Extent } from '../disk';
import { roundDown } from '../units';

/** The three figures that say where something lies; any two fix the third. */
export type PlaceFigure = 'start' | 'end' | 'size';

/** The two figures that were given last, the newest first; the third follows from them. */
export type GivenFigures = readonly [PlaceFigure, PlaceFigure];

export const GIVEN_AT_FIRST: GivenFigures = ['size', 'start'];

/** Another figure was given: it and the newest of the others count from now on. */
export const giving = (figure: PlaceFigure, given: GivenFigures): GivenFigures =>
  given[0] === figure ? given : [figure, given[0]];

/** The figure that follows from the two given. */
export const following = (given: GivenFigures): PlaceFigure =>
  (['end', 'size', 'start'] as const).find((figure) => !given.includes(figure))!;

/**
 * The extent once `figure` is `bytes` (from the disk's start, or long) and the other given figure stays. What
 * is no whole number of sectors is taken down to a whole MiB.
 *
 * @returns null where nothing would be left, or it would start before the disk does
 */
export function placed(
  disk: Pick<Disk, 'sectorSize'>,
  extent: Extent,
  figure: PlaceFigure,
  bytes: number,
  held: PlaceFigure,
): Extent | null {
  const exact = bytes % disk.sectorSize === 0;
  const value = exact ? bytes / disk.sectorSize : roundDown(bytes / disk.sectorSize, alignment(disk));
  const now: Record<PlaceFigure, number> = { start: extent.first, end: endOf(extent), size: extent.sectors };
  const { start, end, size } = { ...now, [figure]: value } as Record<PlaceFigure, number>;
  const third = following([
    figure,
    held === figure ? GIVEN_AT_FIRST.find((other) => other !== figure)! : held,
  ]);
  const next = {
    first: third === 'start' ? end - size : start,
    sectors: third === 'size' ? end - start : size,
  };
  return next.sectors > 0 && next.first >= 0 ? next : null;
}
