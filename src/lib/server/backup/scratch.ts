import mysql from 'mysql2/promise';
import { connectionOptions, SESSION_SETTINGS } from '../database';

/** The address of a database beside another one, by the same account. */
export function besideUrl(url: string, name: string): string {
  const other = new URL(url);
  other.pathname = `/${encodeURIComponent(name)}`;
  return other.href;
}

export const databaseName = (url: string): string => connectionOptions(url).database ?? '';

/** One connection with no limit on how long a statement takes: tables may be large. */
export async function connected<T>(
  url: string,
  work: (connection: mysql.Connection) => Promise<T>,
): Promise<T> {
  const connection = await mysql.createConnection(connectionOptions(url));
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
  connected(url, async (connection) => {
    const [found] = await connection.query<TableRow[]>(
      'SELECT table_name AS name FROM information_schema.tables WHERE table_schema = DATABASE() ORDER BY table_name',
    );
    return found.map(({ name }) => name);
  });

/** Throws everything in a database away. */
export const emptied = (url: string): Promise<void> =>
  connected(url, async (connection) => {
    const [found] = await connection.query<TableRow[]>(
      'SELECT table_name AS name FROM information_schema.tables WHERE table_schema = DATABASE()',
    );
    await connection.query('SET FOREIGN_KEY_CHECKS = 0');
    for (const { name } of found) await connection.query(`DROP TABLE IF EXISTS ${mysql.escapeId(name)}`);
  });

/** Whether the account may use a database, which is made where it may make it; else why not. */
export async function scratchProblem(url: string, scratch: string): Promise<string | null> {
  const quoted = mysql.escapeId(scratch);
  await connected(url, (connection) =>
    connection.query(
      `CREATE DATABASE IF NOT EXISTS ${quoted} CHARACTER SET utf8mb4 COLLATE utf8mb4_unicode_ci`,
    ),
  ).catch(() => undefined);
  return connected(besideUrl(url, scratch), () => Promise.resolve(null)).catch((error: Error) => {
    const account = connectionOptions(url).user ?? '';
    return `The scratch database can’t be used: ${error.message}. Let an administrator of MariaDB say: CREATE DATABASE ${quoted}; GRANT ALL ON ${quoted}.* TO '${account}'@'…';`;
  });
}
