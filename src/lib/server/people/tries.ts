import { change, database, rows, transaction } from '../store/database/database';

/**
 * Growing pauses after wrong tries: after some free ones each doubles the pause. What is tried decides what is counted:
 * - a PIN by the person alone: it is short, and pauses on every device, so that more devices give no more tries. The
 *   passphrase stays
 *   a way in;
 * - a passphrase by who was tried from where, so that nobody locks somebody else out, and by where from, so that one
 *   place can't try
 *   everybody. Many places together are slowed for one person, but only where they have failed before: the first try of
 *   a place is
 *   always taken;
 * - a confirmation, where somebody who is signed in says their secret again, by the person, apart from the PIN.
 */
export type Tried = 'passphrase' | 'pin' | 'confirmation';

export interface TrySource {
  tried: Tried;
  /** The person whose secret was tried: a number, or a name that nobody has. */
  who: string;
  /** Origin of the try: a device or an address. */
  from: string;
  /** The person signed in on this device before. */
  own: boolean;
}

/** One count: how many wrong tries are free, and the longest pause after them in seconds. */
interface Count {
  key: string;
  free: number;
  most: number;
}

const FIRST_SECONDS = 2;
const MAX_SECONDS = 900;
/** Seconds that many places together make one person wait, at a place that failed before. */
const CROWD_SECONDS = 30;
/** Hours after which wrong tries are forgotten. */
const FORGET_HOURS = 24;

/** The counts of a source; the first is its own, and is forgotten after a right try. */
function countsOf({ tried, who, from, own }: TrySource): [Count, ...Count[]] {
  const place = { key: `place ${from}`, free: 10, most: MAX_SECONDS };
  if (tried !== 'passphrase') return [{ key: `${tried} ${who}`, free: 3, most: MAX_SECONDS }, place];
  const pair = { key: `pair ${who.slice(0, 70)} ${from}`, free: 3, most: MAX_SECONDS };
  return own ? [pair, place] : [pair, place, { key: `person ${who}`, free: 100, most: CROWD_SECONDS }];
}

const keyOf = ({ key }: Count): string => key.slice(0, 160);

interface Row {
  source: string;
  count: number;
  /** Until the next try, in seconds; zero and less: now. */
  seconds: number;
}

const READ = (many: number): string =>
  `SELECT source, IF(last_at > UTC_TIMESTAMP(3) - INTERVAL ${FORGET_HOURS} HOUR, count, 0) AS count,
          LEAST(${MAX_SECONDS}, CEIL(TIMESTAMPDIFF(MICROSECOND, UTC_TIMESTAMP(3), waits_until) / 1000000)) AS seconds
     FROM wrong_tries WHERE source IN (${Array(many).fill('?').join(', ')})`;

/** Seconds until the next try is taken; 0: at once. */
function pauseOf([own, ...others]: readonly [Count, ...Count[]], found: readonly Row[]): number {
  const row = (count: Count): Row | undefined =>
    found.find(({ source, count: tries }) => source === keyOf(count) && tries > 0);
  const failedHere = row(own) !== undefined;
  const counting = [own, ...others].filter(({ most }) => failedHere || most !== CROWD_SECONDS);
  return Math.max(0, ...counting.map((count) => Math.min(count.most, Number(row(count)?.seconds ?? 0))));
}

/** Seconds until the next try is taken; 0: at once. It costs one statement, and counts nothing. */
export async function pauseBefore(source: TrySource): Promise<number> {
  const counts = countsOf(source);
  return pauseOf(counts, await rows<Row>(database(), READ(counts.length), counts.map(keyOf)));
}

/**
 * Looks whether a try may be taken, and counts it as wrong, in one piece: of a hundred that are sent at once as many
 * are taken as of a hundred that are sent one by one. A right one takes its count back.
 * @returns seconds until the next try is taken; 0: this one is taken, and counted
 */
export const takeTry = (source: TrySource): Promise<number> =>
  transaction(async (db) => {
    const counts = countsOf(source);
    const keys = counts.map(keyOf).sort();
    // Rows that are there can be locked; all in one order, so that two tries don't wait for each other.
    await change(
      db,
      `INSERT IGNORE INTO wrong_tries (source, count, last_at, waits_until)
         VALUES ${keys.map(() => '(?, 0, UTC_TIMESTAMP(3), UTC_TIMESTAMP(3))').join(', ')}`,
      keys,
    );
    const found = await rows<Row>(db, `${READ(keys.length)} ORDER BY source FOR UPDATE`, keys);
    const seconds = pauseOf(counts, found);
    if (seconds > 0) return seconds;
    for (const count of counts) {
      const tries = (found.find(({ source: key }) => key === keyOf(count))?.count ?? 0) + 1;
      const pause =
        tries < count.free ? 0 : Math.min(count.most, FIRST_SECONDS * 2 ** Math.min(tries - count.free, 20));
      await change(
        db,
        `UPDATE wrong_tries SET count = ?, last_at = UTC_TIMESTAMP(3), waits_until = UTC_TIMESTAMP(3) + INTERVAL ? SECOND
          WHERE source = ?`,
        [tries, pause, keyOf(count)],
      );
    }
    return 0;
  });

/** A try that was not looked at after all is none: its counts are taken back. */
export const takeBack = (source: TrySource): Promise<void> => lessen(countsOf(source));

/** A right try: what was counted for this person is forgotten, and the other counts lose this one. */
export async function forgetTries(source: TrySource): Promise<void> {
  const [own, ...others] = countsOf(source);
  await change(database(), 'DELETE FROM wrong_tries WHERE source = ?', [keyOf(own)]);
  await lessen(others);
}

async function lessen(counts: readonly Count[]): Promise<void> {
  for (const count of counts)
    await change(
      database(),
      'UPDATE wrong_tries SET count = GREATEST(count, 1) - 1, waits_until = UTC_TIMESTAMP(3) WHERE source = ?',
      [keyOf(count)],
    );
}

/** Places of which a person is told by name; the tries of further ones are counted together. */
const MAX_PLACES = 20;
const ELSEWHERE = 'other places';

/** Notes a wrong try, so that the person is told of it. */
export async function noteWrongTry(person: number, place: string): Promise<void> {
  const [{ places, known } = { places: 0, known: 0 }] = await rows<{ places: number; known: number }>(
    database(),
    'SELECT COUNT(*) AS places, COALESCE(SUM(place = ?), 0) AS known FROM tries_at_people WHERE person_id = ?',
    [place.slice(0, 160), person],
  );
  await change(
    database(),
    `INSERT INTO tries_at_people (person_id, place, count, last_at) VALUES (?, ?, 1, UTC_TIMESTAMP(3))
       ON DUPLICATE KEY UPDATE count = count + 1, last_at = UTC_TIMESTAMP(3)`,
    [person, known > 0 || places < MAX_PLACES ? place.slice(0, 160) : ELSEWHERE],
  );
}

/** Wrong tries that a person was not told of yet, as they read them. */
export interface TriesAtPerson {
  place: string;
  count: number;
  lastAt: string;
}

export const listTriesAt = (person: number): Promise<TriesAtPerson[]> =>
  rows(
    database(),
    'SELECT place, count, last_at AS lastAt FROM tries_at_people WHERE person_id = ? ORDER BY last_at DESC LIMIT 50',
    [person],
  );

/** The person knows of them. @param place only those from there: whoever got it right there mistyped before */
export const forgetTriesAt = (person: number, place?: string): Promise<unknown> =>
  change(database(), 'DELETE FROM tries_at_people WHERE person_id = ? AND (? IS NULL OR place = ?)', [
    person,
    place?.slice(0, 160) ?? null,
    place?.slice(0, 160) ?? null,
  ]);

/** Removes old tries, which count no more. */
export async function sweepTries(): Promise<void> {
  await change(
    database(),
    `DELETE FROM wrong_tries WHERE last_at < UTC_TIMESTAMP(3) - INTERVAL ${FORGET_HOURS} HOUR`,
  );
  await change(database(), 'DELETE FROM tries_at_people WHERE last_at < UTC_TIMESTAMP(3) - INTERVAL 90 DAY');
}
