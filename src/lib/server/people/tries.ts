import { change, database, rows } from '../database';

/**
 * Growing pauses after wrong tries. Three are free, then each doubles the pause, up to a quarter of an hour. They are counted by who was
 * tried from where, so that nobody can lock somebody else out from another device; by where from, so that one place can't try everybody;
 * and, with a hundred free, by who was tried from wherever there is no known device, so that many places together gain little.
 */
const FREE = { pair: 3, place: 10, person: 100 } as const;
const FIRST_SECONDS = 2;
const MOST_SECONDS = 900;
/** Hours after which wrong tries are forgotten. */
const FORGET_HOURS = 24;

export interface Source {
  /** Who was tried: the person, or the name that nobody has. */
  who: string;
  /** Where from. */
  from: string;
  /** It is a device that somebody signed in on before. */
  known: boolean;
}

const keysOf = ({ who, from, known }: Source): [key: string, free: number][] => [
  [`pair ${who.slice(0, 70)} ${from.slice(0, 70)}`, FREE.pair],
  [`place ${from.slice(0, 140)}`, FREE.place],
  ...(known ? [] : [[`person ${who.slice(0, 140)}`, FREE.person] as [string, number]]),
];

/** Seconds until the next try is taken; 0: at once. */
export async function pauseBefore(source: Source): Promise<number> {
  const keys = keysOf(source).map(([key]) => key);
  const [row] = await rows<{ seconds: number | null }>(
    database(),
    `SELECT CEIL(TIMESTAMPDIFF(MICROSECOND, UTC_TIMESTAMP(3), MAX(waits_until)) / 1000000) AS seconds
       FROM wrong_tries WHERE source IN (${keys.map(() => '?').join(', ')}) AND last_at > UTC_TIMESTAMP(3) - INTERVAL ${FORGET_HOURS} HOUR`,
    keys,
  );
  return Math.min(MOST_SECONDS, Math.max(0, Number(row?.seconds ?? 0)));
}

/** Counts a try before it is looked at, so that a hundred sent at once gain nothing; a right one takes its count back. */
export async function countTry(source: Source): Promise<void> {
  for (const [key, free] of keysOf(source)) {
    await change(
      database(),
      `INSERT INTO wrong_tries (source, count, last_at, waits_until) VALUES (?, 1, UTC_TIMESTAMP(3), UTC_TIMESTAMP(3))
         ON DUPLICATE KEY UPDATE
           count = IF(last_at > UTC_TIMESTAMP(3) - INTERVAL ${FORGET_HOURS} HOUR, count + 1, 1),
           last_at = UTC_TIMESTAMP(3),
           waits_until = UTC_TIMESTAMP(3) + INTERVAL IF(count < ${free}, 0,
             LEAST(${MOST_SECONDS}, ${FIRST_SECONDS} * POW(2, LEAST(count - ${free}, 20)))) SECOND`,
      [key],
    );
  }
}

/** A right try: what was counted for this person from there is forgotten, and the other counts lose this one. */
export async function forgetTries(source: Source): Promise<void> {
  const [pair, ...others] = keysOf(source);
  await change(database(), 'DELETE FROM wrong_tries WHERE source = ?', [pair![0]]);
  for (const [key] of others)
    await change(
      database(),
      'UPDATE wrong_tries SET count = GREATEST(count - 1, 0), waits_until = UTC_TIMESTAMP(3) WHERE source = ?',
      [key],
    );
}

/** What is old counts no more, and need not be kept. */
export const sweepTries = (): Promise<unknown> =>
  change(
    database(),
    `DELETE FROM wrong_tries WHERE last_at < UTC_TIMESTAMP(3) - INTERVAL ${FORGET_HOURS} HOUR`,
  );
