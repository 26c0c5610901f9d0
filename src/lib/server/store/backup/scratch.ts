import mysql from 'mysql2/promise';
import { readConnectionOptions, SESSION_SETTINGS } from '../database/database';

/** The address of a database beside another one, by the same account. */
export function makeUrlBeside(url: string, name: string): string {
  const other = new URL(url);
  other.pathname = `/${encodeURIComponent(name)}`;
  return other.href;
}

export const databaseName = (url: string): string => readConnectionOptions(url).database ?? '';

/** One connection with no limit on how long a statement takes: tables may be large. */
export async function withConnection<T>(
  url: string,
  work: (connection: mysql.Connection) => Promise<T>,
): Promise<T> {
  const connection = await mysql.createConnection(readConnectionOptions(url));
  try {
    await connection.query(`${SESSION_SETTINGS}, max_statement_time = 0, innodb_lock_wait_timeout = 60`);
    return await work(connection);
  } finally {
    await connection.end();
  }
}

interface TableRow extends mysql.RowDataPacket {
  name: string;
}

/** Names of the tables that a database has. */
export const tablesOf = (url: string): Promise<string[]> =>
  withConnection(url, async (connection) => {
    const [found] = await connection.query<TableRow[]>(
      'SELECT table_name AS name FROM information_schema.tables WHERE table_schema = DATABASE() ORDER BY table_name',
    );
    return found.map(({ name }) => name);
  });

/**
 * Throws everything in a database away: tables with their triggers, and what no backup has. @param except a table that
 * stays
 */
export const emptied = (url: string, except = ''): Promise<void> =>
  withConnection(url, async (connection) => {
    const [found] = await connection.query<(TableRow & { kind: string })[]>(
      `SELECT table_name AS name, IF(table_type = 'VIEW', 'VIEW', 'TABLE') AS kind FROM information_schema.tables WHERE table_schema = DATABASE()
       UNION SELECT routine_name, routine_type FROM information_schema.routines
              WHERE routine_schema = DATABASE() AND routine_type IN ('PROCEDURE', 'FUNCTION')
       UNION SELECT event_name, 'EVENT' FROM information_schema.events WHERE event_schema = DATABASE()`,
    );
    await connection.query('SET FOREIGN_KEY_CHECKS = 0');
    for (const { name, kind } of found)
      if (name !== except) await connection.query(`DROP ${kind} IF EXISTS ${mysql.escapeId(name)}`);
  });

/** Whether an account may use its database, which is made where it may make it; else why not. */
export async function findScratchProblem(scratch: string): Promise<string | null> {
  const { database, user } = readConnectionOptions(scratch);
  const quoted = mysql.escapeId(database ?? '');
  await withConnection(makeUrlBeside(scratch, ''), (connection) =>
    connection.query(
      `CREATE DATABASE IF NOT EXISTS ${quoted} CHARACTER SET utf8mb4 COLLATE utf8mb4_unicode_ci`,
    ),
  ).catch(() => undefined);
  return withConnection(scratch, () => Promise.resolve(null)).catch(
    (error: Error) =>
      `The scratch database can’t be used: ${error.message}. Let an administrator of MariaDB say: CREATE DATABASE ${quoted}; GRANT ALL ON ${quoted}.* TO '${user}'@'…';`,
  );
}

/**
 * Why what comes from elsewhere may not be loaded by an account: it sees more than its own database. null: it does not.
 */
export const findTooMuchAccess = (scratch: string): Promise<string | null> =>
  withConnection(scratch, async (connection) => {
    const [found] = await connection.query<TableRow[]>(
      "SELECT schema_name AS name FROM information_schema.schemata WHERE schema_name NOT IN (DATABASE(), 'information_schema')",
    );
    if (found.length === 0) return null;
    const { database, user } = readConnectionOptions(scratch);
    return `The account “${user}” sees more than the scratch database (${found[0]!.name}), and a backup could change that. Let an administrator of MariaDB say: CREATE USER gentle_tide_scratch@'…' IDENTIFIED BY '…'; GRANT ALL ON ${mysql.escapeId(database ?? '')}.* TO gentle_tide_scratch@'…';   and set SCRATCH_URL to it.`;
  });

/**
 * What a dump may bring beside tables: triggers that refuse, and nothing that does anything else. @returns what it
 * brings; null: nothing
 */
export const oddObject = (url: string): Promise<string | null> =>
  withConnection(url, async (connection) => {
    const [found] = await connection.query<TableRow[]>(
      `SELECT CONCAT('trigger ', trigger_name) AS name FROM information_schema.triggers
         WHERE trigger_schema = DATABASE() AND action_statement NOT REGEXP '^SIGNAL SQLSTATE [^;]*$'
       UNION SELECT CONCAT('view ', table_name) FROM information_schema.tables WHERE table_schema = DATABASE() AND table_type <> 'BASE TABLE'
       UNION SELECT CONCAT('routine ', routine_name) FROM information_schema.routines WHERE routine_schema = DATABASE()
       UNION SELECT CONCAT('event ', event_name) FROM information_schema.events WHERE event_schema = DATABASE()`,
    );
    return found[0]?.name ?? null;
  });
