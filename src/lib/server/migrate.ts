import mysql from 'mysql2/promise';
import { join } from 'node:path';
import Postgrator from 'postgrator';
import { connectionOptions, SESSION_SETTINGS } from './database';

const LOCK = 'gentle-tide-migration';
const LOCK_SECONDS = 60;

/** Brings the database to the newest migration. Two servers started at once wait for each other. */
export async function migrate(folder = join(process.cwd(), 'migrations')): Promise<number> {
  const options = connectionOptions();
  const connection = await mysql
    .createConnection({ ...options, multipleStatements: true })
    .catch((error: unknown) => {
      const reason = error instanceof Error ? error.message : String(error);
      throw new Error(`the database at ${options.host}:${options.port} can't be used: ${reason}`, {
        cause: error,
      });
    });
  try {
    await connection.query(SESSION_SETTINGS);
    const [[lock]] = await connection.query<mysql.RowDataPacket[]>('SELECT GET_LOCK(?, ?) AS got', [
      LOCK,
      LOCK_SECONDS,
    ]);
    if (lock?.['got'] !== 1) throw new Error('another process has been migrating this database for a minute');
    const postgrator = new Postgrator({
      driver: 'mysql',
      database: options.database ?? '',
      migrationPattern: `${folder}/*`,
      schemaTable: 'schema_version',
      execQuery: async (sql: string) => ({ rows: (await connection.query(sql))[0] as unknown[] }),
      execSqlScript: async (sql: string) => void (await connection.query(sql)),
    });
    return (await postgrator.migrate()).length;
  } finally {
    await connection.end();
  }
}
