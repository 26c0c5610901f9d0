/**
 * Long evidence: cuts, mutants, disks and routes by the thousand. `npm run evidence` gathers all of it, a check a share
 * of it: another one each day, so that the shares of some days come to the whole.
 */

export const WHOLE = process.env['EVIDENCE'] === 'whole';

/** Seed of the share: the day, or the day that is to be repeated (`EVIDENCE_SEED`, which `./check` prints). */
export const DAY = Number(process.env['EVIDENCE_SEED']) || Math.floor(Date.now() / 86_400_000);

/** Number of cases that are looked at, of so many: all, or one in `every`. */
export const share = (whole: number, every: number): number => (WHOLE ? whole : Math.ceil(whole / every));

/** Part of a list that is looked at: all, or one in `every`, beginning with another one each day. */
export const shareOf = <T>(list: readonly T[], every: number): readonly T[] =>
  WHOLE ? list : list.filter((_, i) => (i + DAY) % every === 0);
