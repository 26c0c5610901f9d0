/**
 * Days since the first of January 1980, in 16 bits: until 2159. 0 stands for none: FAT's own first day is not told from
 * it.
 */
const FIRST = Date.UTC(1980, 0, 1);
const DAY = 86_400_000;
const MOST = 65_535;
/** From 1601, where times of NTFS begin, to 1980. */
const FROM_1601 = (FIRST - Date.UTC(1601, 0, 1)) / DAY;
/** Hundreds of nanoseconds of a day, by halves of 32 bits. */
const HIGH = 2 ** 32 / 864e9;

const bounded = (day: number): number => (day > 0 && day <= MOST ? day : 0);

/** The day of a time as NTFS keeps it: units of 100 ns since 1601, in two halves. 0: before 1980, or none. */
export const dayOfNtfs = (low: number, high: number): number =>
  bounded(Math.floor(high * HIGH + low / 864e9) - FROM_1601);

/** The day of a date as FAT keeps it (years since 1980 in 7 bits, month in 4, day in 5); 0: none, or impossible. */
export function dayOfFat(date: number): number {
  const [year, month, day] = [1980 + (date >> 9), ((date >> 5) & 15) - 1, date & 31];
  if (month < 0 || month > 11 || day === 0) return 0;
  return bounded((Date.UTC(year, month, day) - FIRST) / DAY);
}

/** YYYY-MM-DD; null for 0. */
export const formatDay = (day: number): string | null =>
  day === 0 ? null : new Date(FIRST + day * DAY).toISOString().slice(0, 10);

/** The day on which a month begins, counted from January 1980. */
export const firstDayOf = (month: number): number => (Date.UTC(1980, month) - FIRST) / DAY;
