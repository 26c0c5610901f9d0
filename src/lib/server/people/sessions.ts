import type { SessionRow } from '$contract/people';
import type { Person } from '$contract/people';
import type { Role } from '$contract/roles';
import { change, database, rows, type Db } from '../store/database/database';
import { config } from '../platform/settings/config';
import { DEVICE_DAYS } from './devices';
import { makeToken, hashToken } from './secrets';

/** A session that holds: who is signed in, and on which device. */
export interface Session {
  id: number;
  device: number;
  person: Person;
  /** Seconds since it was last noted that it is used. */
  quiet: number;
}

/** Seconds between two notes that a session is used. */
const NOTE = 60;

/** Whether a session `s` on a device `d` of a person `p` still holds, in SQL. */
export const HOLDS = (): string =>
  `s.ended_at IS NULL AND s.ends_at > UTC_TIMESTAMP(3) AND s.seen_at > UTC_TIMESTAMP(3) - INTERVAL ${config().idleHours} HOUR
   AND d.ended_at IS NULL AND p.left_at IS NULL`;

/** The session of a cookie; null: there is none that holds. */
export async function findSession(token: string): Promise<Session | null> {
  const [row] = await rows<{
    id: number;
    device: number;
    person: number;
    name: string;
    role: Role;
    quiet: number;
  }>(
    database(),
    `SELECT s.id, s.device_id AS device, p.id AS person, p.name, p.role, TIMESTAMPDIFF(SECOND, s.seen_at, UTC_TIMESTAMP(3)) AS quiet
       FROM sessions s JOIN people p ON p.id = s.person_id JOIN devices d ON d.id = s.device_id
      WHERE s.token = ? AND ${HOLDS()}`,
    [hashToken(token)],
  );
  return row
    ? {
        id: row.id,
        device: row.device,
        person: { id: row.person, name: row.name, role: row.role },
        quiet: row.quiet,
      }
    : null;
}

/** Sessions of many that are still valid; asked again and again for whoever watches. */
export const filterSessions = async (ids: readonly number[]): Promise<Set<number>> =>
  new Set(
    ids.length === 0
      ? []
      : (
          await rows<{ id: number }>(
            database(),
            `SELECT s.id FROM sessions s JOIN people p ON p.id = s.person_id JOIN devices d ON d.id = s.device_id
              WHERE ${HOLDS()} AND s.id IN (${ids.map(() => '?').join(', ')})`,
            [...ids],
          )
        ).map(({ id }) => id),
  );

/** Notes that a session is used, once in a while. */
export async function noteUse({ id, device, quiet }: Session, address: string): Promise<void> {
  if (quiet >= 0 && quiet < NOTE) return;
  await change(database(), 'UPDATE sessions SET seen_at = UTC_TIMESTAMP(3) WHERE id = ?', [id]);
  await change(database(), 'UPDATE devices SET seen_at = UTC_TIMESTAMP(3), address = ? WHERE id = ?', [
    address.slice(0, 45),
    device,
  ]);
}

/** Begins a session; whatever session the device had is over. @returns what the cookie holds */
export async function beginSession(db: Db, person: number, device: number): Promise<string> {
  const { token, kept } = makeToken();
  await change(
    db,
    'UPDATE sessions SET ended_at = UTC_TIMESTAMP(3) WHERE device_id = ? AND ended_at IS NULL',
    [device],
  );
  // One that is over tells who was here; of more than one of the same person there is nothing to learn.
  await change(
    db,
    `DELETE FROM sessions WHERE device_id = ? AND person_id = ? AND ended_at IS NOT NULL
        AND id < (SELECT MAX(id) FROM sessions WHERE device_id = ? AND person_id = ?)`,
    [device, person, device, person],
  );
  await change(
    db,
    `INSERT INTO sessions (token, person_id, device_id, ends_at) VALUES (?, ?, ?, UTC_TIMESTAMP(3) + INTERVAL ${config().sessionDays} DAY)`,
    [kept, person, device],
  );
  return token;
}

/** Sessions that hold, the last used first. @param person only those of somebody; null: everybody's */
export const listSessions = (person: number | null): Promise<SessionRow[]> =>
  rows<SessionRow>(
    database(),
    `SELECT s.id, d.id AS device, d.name AS deviceName, d.address, p.id AS person, p.name, s.created_at AS createdAt, s.seen_at AS seenAt,
            s.ends_at AS endsAt
       FROM sessions s JOIN people p ON p.id = s.person_id JOIN devices d ON d.id = s.device_id
      WHERE ${HOLDS()} AND (? IS NULL OR p.id = ?) ORDER BY s.seen_at DESC LIMIT 500`,
    [person, person],
  );

/** Ends a session. @param person only if it is theirs; null: whoever's @returns whether there was such a one */
export async function endSession(id: number, person: number | null): Promise<boolean> {
  const { affectedRows } = await change(
    database(),
    'UPDATE sessions SET ended_at = UTC_TIMESTAMP(3) WHERE id = ? AND ended_at IS NULL AND (? IS NULL OR person_id = ?)',
    [id, person, person],
  );
  return affectedRows > 0;
}

/** Days that what is over is kept, so that the page can still say what was. */
const KEPT_DAYS = 30;

/** Throws away what has been over for a month. */
export async function sweepSessions(): Promise<void> {
  const old = `UTC_TIMESTAMP(3) - INTERVAL ${KEPT_DAYS} DAY`;
  await change(database(), `DELETE FROM sessions WHERE ends_at < ${old} OR ended_at < ${old}`);
  await change(database(), `DELETE FROM invitations WHERE ends_at < ${old}`);
  await change(database(), `DELETE FROM access_tokens WHERE ends_at < ${old} OR ended_at < ${old}`);
  // A browser has forgotten what it kept by then; sessions on the device go with it.
  await change(
    database(),
    `DELETE FROM devices WHERE ended_at < ${old} OR seen_at < UTC_TIMESTAMP(3) - INTERVAL ${DEVICE_DAYS} DAY`,
  );
}
