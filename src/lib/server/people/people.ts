import type { PersonChange, PersonRow } from '$contract/people';
import { refuse } from '$contract/problems';
import { success, type Outcome } from '$core/problem';
import type { Role } from '$contract/roles';
import { change, database, rows, transaction, type Db } from '../store/database/database';
import { recordAtWorkshop } from '../store/history/history';
import { endAccess } from './endAccess';

export const listPeople = async (): Promise<PersonRow[]> =>
  (
    await rows<Omit<PersonRow, 'hasPassphrase' | 'hasPin'> & { hasPassphrase: number; hasPin: number }>(
      database(),
      `SELECT p.id, p.name, p.role, p.version, p.passphrase IS NOT NULL AS hasPassphrase, p.pin IS NOT NULL AS hasPin, p.left_at AS leftAt,
              (SELECT MAX(seen_at) FROM sessions WHERE person_id = p.id) AS seenAt
         FROM people p ORDER BY p.left_at IS NOT NULL, p.name LIMIT 500`,
    )
  ).map((row) => ({ ...row, hasPassphrase: row.hasPassphrase === 1, hasPin: row.hasPin === 1 }));

/** Most people that one workshop has. */
export const MAX_PEOPLE = 500;

/** Refusals: `name-taken`, `too-many-people`. @returns the id */
export async function addPerson(db: Db, name: string, role: Role): Promise<Outcome<number>> {
  const [{ count } = { count: 0 }] = await rows<{ count: number }>(
    db,
    'SELECT COUNT(*) AS count FROM people',
  );
  if (count >= MAX_PEOPLE) return refuse('too-many-people', { most: MAX_PEOPLE });
  const added = await unlessTaken(change(db, 'INSERT INTO people (name, role) VALUES (?, ?)', [name, role]));
  return added ? success(added.insertId) : refuse('name-taken', { name, isNew: true });
}

/** Runs a statement that names somebody; null: somebody has that name already. */
const unlessTaken = <T>(statement: Promise<T>): Promise<T | null> =>
  statement.catch((error: unknown) => {
    if ((error as { code?: string }).code === 'ER_DUP_ENTRY') return null;
    throw error;
  });

/**
 * Changes name and role, lets somebody go or takes them back. Whoever goes, or may less than before, is signed out
 * everywhere. Refusals: `no-person`, `stale-person`, `name-taken`, `last-owner`. @returns the new version
 */
export const changePerson = (
  id: number,
  { version, name, role, left }: PersonChange,
): Promise<Outcome<number>> =>
  transaction(async (db): Promise<Outcome<number>> => {
    // All owners are locked, so that two who let each other go at once don't leave a workshop without one.
    const owners = await rows<{ id: number }>(
      db,
      `SELECT id FROM people WHERE role = 'owner' AND left_at IS NULL AND passphrase IS NOT NULL ORDER BY id FOR UPDATE`,
    );
    const [row] = await rows<{ version: number; name: string; role: Role; left_at: string | null }>(
      db,
      'SELECT version, name, role, left_at FROM people WHERE id = ? FOR UPDATE',
      [id],
    );
    if (!row) return refuse('no-person', { id: String(id) });
    if (row.version !== version)
      return refuse('stale-person', undefined, { details: { current: row.version } });
    const staysOwner = role === 'owner' && !left;
    if (!staysOwner && owners.length === 1 && owners[0]!.id === id) return refuse('last-owner');
    const changed = await unlessTaken(
      change(
        db,
        `UPDATE people SET name = ?, role = ?, version = version + 1,
                left_at = IF(?, COALESCE(left_at, UTC_TIMESTAMP(3)), NULL) WHERE id = ?`,
        [name, role, left, id],
      ),
    );
    if (!changed) return refuse('name-taken', { name, isNew: false });
    const told = [
      ...(name === row.name ? [] : [`${row.name} is called ${name} from now on.`]),
      ...(role === row.role ? [] : [`${name} is ${role} from now on, no longer ${row.role}.`]),
      ...(left === (row.left_at !== null)
        ? []
        : [left ? `${name} works here no more.` : `${name} works here again.`]),
    ];
    if (left || role !== row.role) await endAccess(db, id);
    if (told.length > 0) await recordAtWorkshop(db, told.join(' '));
    return success(version + 1);
  });

/** New secrets of a person; undefined stays, null goes. */
export async function keepSecrets(
  db: Db,
  id: number,
  { passphrase, pin }: { passphrase?: string | null | undefined; pin?: string | null | undefined },
): Promise<void> {
  if (passphrase !== undefined)
    await change(db, 'UPDATE people SET passphrase = ? WHERE id = ?', [passphrase, id]);
  if (pin !== undefined) await change(db, 'UPDATE people SET pin = ? WHERE id = ?', [pin, id]);
}

/** Whether somebody can sign in without a PIN. */
export async function hasPassphrase(id: number): Promise<boolean> {
  const found = await rows(database(), 'SELECT id FROM people WHERE id = ? AND passphrase IS NOT NULL', [id]);
  return found.length > 0;
}

/** Whether there is an owner who can sign in. */
export async function hasOwner(): Promise<boolean> {
  const found = await rows<{ id: number }>(
    database(),
    `SELECT id FROM people WHERE role = 'owner' AND left_at IS NULL AND passphrase IS NOT NULL LIMIT 1`,
  );
  return found.length > 0;
}
