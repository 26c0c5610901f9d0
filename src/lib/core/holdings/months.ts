import { firstDayOf } from './days';
import { MAX_MONTHS, type HeldMonth } from './document';

/** For each day (`days.ts`) its month, counted from January 1980; looked up, since every file asks for two. */
const BUCKETS = (() => {
  const buckets = new Uint16Array(65_536);
  for (let month = 0; firstDayOf(month) < buckets.length; month++)
    buckets.fill(month, firstDayOf(month), firstDayOf(month + 1));
  return buckets;
})();

/** The month of a day, counted from January 1980, where days without a date are as well. */
export const bucketOf = (day: number): number => BUCKETS[day]!;

const monthText = (bucket: number): string =>
  `${1980 + Math.floor(bucket / 12)}-${String((bucket % 12) + 1).padStart(2, '0')}`;

/** The months in which something came or changed, oldest first; where they are too many, the oldest are added up. */
export function formatMonths(sums: {
  created: Float64Array;
  changed: Float64Array;
  files: Uint32Array;
}): HeldMonth[] {
  const told: HeldMonth[] = [];
  sums.created.forEach((created, bucket) => {
    const [changed, files] = [sums.changed[bucket]!, sums.files[bucket]!];
    if (created > 0 || changed > 0) told.push({ month: monthText(bucket), created, changed, files });
  });
  const old = told.splice(0, Math.max(0, told.length - MAX_MONTHS));
  for (const { created, changed, files } of old) {
    told[0]!.created += created;
    told[0]!.changed += changed;
    told[0]!.files += files;
  }
  return told;
}
