import type { TokenRow } from '$contract/people';
import type { Person } from '$contract/people';
import { SCOPES, type Role, type Scope } from '$contract/roles';
import { change, database, rows } from '../store/database/database';
import { makeToken, hashToken } from './secrets';

/** Beginning of a program's token, so that one that lies around is known for what it is. */
export const TOKEN_PREFIX = 'gentle-tide-';

const MAX_TOKENS = 100;

/**
 * @param device the one that it is made on, and ends with @returns what the program sends, shown once; null: there are
 *   too many already
 */
export async function addToken(
  person: number,
  name: string,
  scopes: readonly Scope[],
  days: number,
  device: number | null = null,
): Promise<string | null> {
  const [{ count } = { count: 0 }] = await rows<{ count: number }>(
    database(),
    'SELECT COUNT(*) AS count FROM access_tokens WHERE ended_at IS NULL AND ends_at > UTC_TIMESTAMP(3)',
  );
  if (count >= MAX_TOKENS) return null;
  const { token } = makeToken();
  const whole = `${TOKEN_PREFIX}${token}`;
  await change(
    database(),
    'INSERT INTO access_tokens (token, person_id, name, scopes, device_id, ends_at) VALUES (?, ?, ?, ?, ?, UTC_TIMESTAMP(3) + INTERVAL ? DAY)',
    [hashToken(whole), person, name, JSON.stringify(scopes), device, days],
  );
  return whole;
}

const scopesOf = (text: string): Scope[] => {
  const found: unknown = JSON.parse(text);
  return Array.isArray(found) ? SCOPES.filter((scope) => found.includes(scope)) : [];
};

/** The person who answers for a program, and its scopes; null: the token does not hold. */
export async function findToken(
  token: string,
): Promise<{ id: number; person: Person; scopes: Scope[]; name: string } | null> {
  if (!token.startsWith(TOKEN_PREFIX)) return null;
  const [row] = await rows<{
    id: number;
    title: string;
    scopes: string;
    person: number;
    name: string;
    role: Role;
    quiet: number | null;
  }>(
    database(),
    `SELECT t.id, t.name AS title, t.scopes, p.id AS person, p.name, p.role, TIMESTAMPDIFF(SECOND, t.seen_at, UTC_TIMESTAMP(3)) AS quiet
       FROM access_tokens t JOIN people p ON p.id = t.person_id
      WHERE t.token = ? AND t.ended_at IS NULL AND t.ends_at > UTC_TIMESTAMP(3) AND p.left_at IS NULL`,
    [hashToken(token)],
  );
  if (!row) return null;
  if (row.quiet === null || row.quiet > 60)
    await change(database(), 'UPDATE access_tokens SET seen_at = UTC_TIMESTAMP(3) WHERE id = ?', [row.id]);
  return {
    id: row.id,
    person: { id: row.person, name: row.name, role: row.role },
    scopes: scopesOf(row.scopes),
    name: row.title,
  };
}

/** Tokens of many that are still valid; asked again and again for programs that watch. */
export const filterTokens = async (ids: readonly number[]): Promise<Set<number>> =>
  new Set(
    ids.length === 0
      ? []
      : (
          await rows<{ id: number }>(
            database(),
            `SELECT t.id FROM access_tokens t JOIN people p ON p.id = t.person_id
              WHERE t.ended_at IS NULL AND t.ends_at > UTC_TIMESTAMP(3) AND p.left_at IS NULL AND t.id IN (${ids.map(() => '?').join(', ')})`,
            [...ids],
          )
        ).map(({ id }) => id),
  );

/** Tokens that hold, the newest first. @param person only theirs; null: everybody's */
export const listTokens = async (person: number | null): Promise<TokenRow[]> =>
  (
    await rows<Omit<TokenRow, 'scopes'> & { scopes: string }>(
      database(),
      `SELECT t.id, t.name, t.scopes, p.id AS person, p.name AS personName, t.created_at AS createdAt, t.seen_at AS seenAt, t.ends_at AS endsAt
         FROM access_tokens t JOIN people p ON p.id = t.person_id
        WHERE t.ended_at IS NULL AND t.ends_at > UTC_TIMESTAMP(3) AND p.left_at IS NULL AND (? IS NULL OR p.id = ?)
        ORDER BY t.id DESC LIMIT 200`,
      [person, person],
    )
  ).map((row) => ({ ...row, scopes: scopesOf(row.scopes) }));

/** @returns whether there was such a one */
export async function endToken(id: number, person: number | null): Promise<boolean> {
  const { affectedRows } = await change(
    database(),
    'UPDATE access_tokens SET ended_at = UTC_TIMESTAMP(3) WHERE id = ? AND ended_at IS NULL AND (? IS NULL OR person_id = ?)',
    [id, person, person],
  );
  return affectedRows > 0;
}
