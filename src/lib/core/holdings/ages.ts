import { theilSen } from '../forecast/line';
import type { Holdings, VolumeHoldings } from './document';

/** Months before the survey that are looked at, and the least of them in which something must have come. */
const MONTHS = 24;
const LEAST_MONTHS = 6;
const YEAR = 365.25;

/**
 * Bytes a year by which a volume fills, from when its files came: the line of Theil and Sen through what had come by the end of
 * each month, so that a month in which Windows was installed anew does not count for all. What came and went again is not seen,
 * so this is rough, and its range is widened to a half and twice of it. null: the ages do not tell.
 */
export function rateByAge(
  { months }: Pick<VolumeHoldings, 'months'>,
  takenAt: Holdings['takenAt'],
): { low: number; middle: number; high: number } | null {
  const end = new Date(takenAt);
  const last = 12 * end.getUTCFullYear() + end.getUTCMonth();
  const came = new Map(months.map(({ month, created }) => [indexOf(month), created]));
  let sum = 0;
  // The month of the survey is not over.
  const points = Array.from({ length: MONTHS }, (_, i) => {
    const month = last - MONTHS + i;
    sum += came.get(month) ?? 0;
    return { at: Date.UTC(Math.floor(month / 12), (month % 12) + 1, 1), value: sum };
  });
  const filled = points.filter((_, i) => (came.get(last - MONTHS + i) ?? 0) > 0).length;
  const line = filled < LEAST_MONTHS ? null : theilSen(points);
  if (!line || line.slope <= 0) return null;
  const middle = line.slope * YEAR;
  return { low: Math.round(middle / 2), middle: Math.round(middle), high: Math.round(middle * 2) };
}

const indexOf = (month: string): number => 12 * Number(month.slice(0, 4)) + Number(month.slice(5)) - 1;
