import type mysql from 'mysql2/promise';
import { withConnection } from './scratch';

/**
 * While a restore changes a database a mark stands in it: a table beside those of the application. One that was cut
 * short leaves the mark, and no server works with what is half there.
 */
export const MARK = 'restore_under_way';

/** The restore in progress, and the state before it. */
export interface RestoreMark {
  /** The backup's file. */
  backup: string;
  /** Dump of what was there before; null: nothing was. */
  before: string | null;
  /** End of the names of files that were put aside. */
  stamp: string;
}

/** The mark in a database; null: no restore was cut short. */
export const markOf = (url: string): Promise<RestoreMark | null> => withConnection(url, markIn);

export async function markIn(connection: mysql.Connection): Promise<RestoreMark | null> {
  const [tables] = await connection.query<mysql.RowDataPacket[]>(
    'SELECT 1 FROM information_schema.tables WHERE table_schema = DATABASE() AND table_name = ?',
    [MARK],
  );
  if (tables.length === 0) return null;
  const [rows] = await connection.query<(RestoreMark & mysql.RowDataPacket)[]>(
    `SELECT backup, \`before\`, stamp FROM ${MARK}`,
  );
  // Cut between the table and its row: nothing was changed yet.
  return rows[0] ?? null;
}

export const setMark = (url: string, { backup, before, stamp }: RestoreMark): Promise<void> =>
  withConnection(url, async (connection) => {
    await connection.query(
      `CREATE TABLE IF NOT EXISTS ${MARK} (id TINYINT UNSIGNED NOT NULL PRIMARY KEY, backup TEXT NOT NULL, \`before\` TEXT NULL, stamp VARCHAR(40) NOT NULL)
         ENGINE = InnoDB DEFAULT CHARSET = utf8mb4 COLLATE = utf8mb4_bin`,
    );
    await connection.query(`REPLACE INTO ${MARK} (id, backup, \`before\`, stamp) VALUES (1, ?, ?, ?)`, [
      backup,
      before,
      stamp,
    ]);
  });

export const removeMark = (url: string): Promise<void> =>
  withConnection(url, async (connection) => void (await connection.query(`DROP TABLE IF EXISTS ${MARK}`)));

/** Remedy for a restore that was cut short, as a server and the commands say it. */
export const cutShort = ({ backup, before }: RestoreMark): string =>
  `A restore of ${backup} was cut short, so this database is half of one thing and half of another. Go on with: ./restore ${backup}` +
  (before === null ? '' : `   Or go back to what was there before with: ./restore --back`);
