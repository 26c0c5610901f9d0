import type { FullRange } from '$core/forecast';

const MONTH = new Intl.DateTimeFormat('en-GB', { month: 'short', year: 'numeric', timeZone: 'UTC' });

/** "Feb 2027" */
export const formatMonth = (at: number): string => MONTH.format(at);

/** When a volume is full, in words: "between Feb and Apr 2027". @param now milliseconds since 1970 */
export function formatMonthRange({ early, likely, late }: FullRange, now: number): string {
  if (early === null) return 'not in sight';
  if (late === null)
    return `in ${likely === null ? formatMonth(early) : formatMonth(likely)} at the earliest, or not at all`;
  if (late <= now) return 'now';
  const [from, to] = [formatMonth(early), formatMonth(late)];
  return from === to ? `in ${from}` : `between ${from} and ${to}`;
}

/** "two years", "18 months" */
export const inYears = (years: number): string =>
  Number.isInteger(years)
    ? `${['', 'one', 'two', 'three', 'four'][years] ?? years} ${years === 1 ? 'year' : 'years'}`
    : `${Math.round(years * 12)} months`;
