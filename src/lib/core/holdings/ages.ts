import type { Holdings, VolumeHoldings } from './document';

/** Months before the survey that are looked at, and the least of them in which something must have come. */
const MONTHS = 24;
const MIN_MONTHS = 6;
/**
 * The largest of them that are left out: in one Windows was installed anew, in another everything was copied from an
 * older machine.
 */
const LEFT_OUT = 2;

/**
 * Bytes a year by which a volume fills, from when its files came: the mean of the last two years' months without the
 * two largest. What came and went again is not seen, so this is rough, and its range is a half to twice of it. null:
 * the ages do not tell.
 */
export function computeRateByAge(
  { months }: Pick<VolumeHoldings, 'months'>,
  takenAt: Holdings['takenAt'],
): { low: number; middle: number; high: number } | null {
  const end = new Date(takenAt);
  // The month of the survey is not over.
  const last = 12 * end.getUTCFullYear() + end.getUTCMonth() - 1;
  const came = new Map(months.map(({ month, created }) => [indexOf(month), created]));
  const each = Array.from({ length: MONTHS }, (_, i) => came.get(last - i) ?? 0).sort((a, b) => a - b);
  if (each.filter((bytes) => bytes > 0).length < MIN_MONTHS) return null;
  const usual = each.slice(0, MONTHS - LEFT_OUT);
  const middle = (12 * usual.reduce((sum, bytes) => sum + bytes, 0)) / usual.length;
  return middle <= 0
    ? null
    : { low: Math.round(middle / 2), middle: Math.round(middle), high: Math.round(middle * 2) };
}

const indexOf = (month: string): number => 12 * Number(month.slice(0, 4)) + Number(month.slice(5)) - 1;
