import { change, database, rows, type Db } from '../store/database/database';
import { makeToken, hashToken } from './secrets';

/**
 * What a device keeps is known longer than any session: a tablet that lay in a drawer over the holidays takes PINs
 * again.
 */
export const DEVICE_DAYS = 400;
/** Devices that one session lets in by its addresses. */
const MAX_OF_SESSION = 5;
/**
 * Devices of one person: signing in on a further one makes that of longest no use unknown, and no address lets in more.
 */
const MAX_OF_PERSON = 50;

/** The screen that made an address for one more device. */
export interface Maker {
  session: number;
  device: number;
}

/** A device that somebody signed in on before. */
export async function findDevice(token: string): Promise<number | null> {
  const [row] = await rows<{ id: number }>(
    database(),
    'SELECT id FROM devices WHERE token = ? AND ended_at IS NULL',
    [hashToken(token)],
  );
  return row?.id ?? null;
}

/** Whether a person was signed in on a device before. */
export async function hasSignedInOn(person: number, device: number): Promise<boolean> {
  const found = await rows(
    database(),
    'SELECT id FROM sessions WHERE person_id = ? AND device_id = ? LIMIT 1',
    [person, device],
  );
  return found.length > 0;
}

interface NewDevice {
  name: string;
  address: string;
  person: number;
  letInBy: Maker | null;
}

/** @returns its id, and what it keeps */
export async function addDevice(
  db: Db,
  { name, address, person, letInBy }: NewDevice,
): Promise<{ device: number; token: string }> {
  const { token, kept } = makeToken();
  const { insertId } = await change(
    db,
    'INSERT INTO devices (token, name, address, person_id, let_in_by, let_in_session) VALUES (?, ?, ?, ?, ?, ?)',
    [kept, name, address.slice(0, 45), person, letInBy?.device ?? null, letInBy?.session ?? null],
  );
  const more = await rows<{ id: number }>(
    db,
    `SELECT id FROM devices WHERE person_id = ? AND ended_at IS NULL ORDER BY seen_at DESC, id DESC LIMIT 100 OFFSET ${MAX_OF_PERSON}`,
    [person],
  );
  for (const { id } of more) await endDevice(db, id);
  return { device: insertId, token };
}

/** Whether an address that a session made may let in one more device. */
export async function mayLetIn(db: Db, person: number, session: number): Promise<boolean> {
  const [{ ofSession, ofPerson } = { ofSession: 0, ofPerson: 0 }] = await rows<{
    ofSession: number;
    ofPerson: number;
  }>(
    db,
    `SELECT (SELECT COUNT(*) FROM devices WHERE let_in_session = ?) AS ofSession,
            (SELECT COUNT(*) FROM devices WHERE person_id = ? AND ended_at IS NULL) AS ofPerson`,
    [session, person],
  );
  return ofSession < MAX_OF_SESSION && ofPerson < MAX_OF_PERSON;
}

/**
 * A device that was stolen or given away, with all that was let in from it: sessions and tokens end, and no PIN is good
 * there any more.
 * @returns its name; null: there is no such one, or no more
 */
export async function endDevice(db: Db, id: number): Promise<string | null> {
  const [device] = await rows<{ name: string }>(
    db,
    'SELECT name FROM devices WHERE id = ? AND ended_at IS NULL FOR UPDATE',
    [id],
  );
  if (!device) return null;
  const gone = await rows<{ id: number }>(
    db,
    `WITH RECURSIVE gone AS (SELECT id FROM devices WHERE id = ? UNION SELECT d.id FROM devices d JOIN gone g ON d.let_in_by = g.id)
     SELECT id FROM gone`,
    [id],
  );
  const ids = gone.map((one) => one.id);
  const marks = ids.map(() => '?').join(', ');
  for (const [table, column] of [
    ['devices', 'id'],
    ['sessions', 'device_id'],
    ['access_tokens', 'device_id'],
  ])
    await change(
      db,
      `UPDATE ${table} SET ended_at = UTC_TIMESTAMP(3) WHERE ${column} IN (${marks}) AND ended_at IS NULL`,
      ids,
    );
  return device.name;
}
