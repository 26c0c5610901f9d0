import mysql from 'mysql2/promise';
import { join } from 'node:path';
import Postgrator from 'postgrator';
import { connectionOptions, SESSION_SETTINGS } from './database';
import { adoptHistories } from './history/history';

const LOCK_SECONDS = 120;

/**
 * Brings the database to the newest migration, and then does `more` (such as loading demo data). Servers that start at once wait for
 * each other: one does it all, and the next finds it done. Every statement of a migration may be carried out twice, so one that was cut
 * short is done over (migrations/README.md).
 *
 * It works under the account of MIGRATION_URL, which may change tables, where there is one; else under that of DATABASE_URL.
 */
export async function migrate({
  folder = join(process.cwd(), 'migrations'),
  more = () => Promise.resolve(),
}: { folder?: string; more?: () => Promise<unknown> } = {}): Promise<number> {
  const options = connectionOptions(process.env['MIGRATION_URL'] ?? process.env['DATABASE_URL']);
  const connection = await mysql
    .createConnection({ ...options, multipleStatements: true })
    .catch((error: unknown) => {
      const reason = error instanceof Error ? error.message : String(error);
      throw new Error(`the database at ${options.host}:${options.port} can't be used: ${reason}`, {
        cause: error,
      });
    });
  try {
    // Tables may be large: no statement of a migration has a limit.
    await connection.query(`${SESSION_SETTINGS}, max_statement_time = 0, innodb_lock_wait_timeout = 60`);
    const [[lock]] = await connection.query<mysql.RowDataPacket[]>('SELECT GET_LOCK(?, ?) AS got', [
      `gentle-tide ${options.database}`.slice(0, 64),
      LOCK_SECONDS,
    ]);
    if (lock?.['got'] !== 1)
      throw new Error(`another process has been migrating this database for ${LOCK_SECONDS} seconds`);
    const postgrator = new Postgrator({
      driver: 'mysql',
      database: options.database ?? '',
      migrationPattern: `${folder}/*.sql`,
      schemaTable: 'schema_version',
      // What stands in a file may be made safer later; which files were carried out is told by their number.
      validateChecksums: false,
      execQuery: async (sql: string) => ({ rows: (await connection.query(sql))[0] as unknown[] }),
      execSqlScript: async (sql: string) => void (await connection.query(sql)),
    });
    const done = (await postgrator.migrate()).length;
    await adoptHistories(options.database ?? '');
    await more();
    return done;
  } finally {
    await connection.end();
  }
}
