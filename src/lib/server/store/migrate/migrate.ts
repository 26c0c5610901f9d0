import mysql from 'mysql2/promise';
import { join } from 'node:path';
import Postgrator from 'postgrator';
import { readConnectionOptions, SESSION_SETTINGS } from '../database/database';
import { dumpInto } from '../backup/dump';
import { findNewestMigration, explainTooNew } from '../backup/inspect';
import { cutShort, markIn } from '../backup/mark';
import { adoptHistories } from '../history/history';
import { log } from '../../platform/log';
import { config, migrationUrl } from '../../platform/settings/config';

const LOCK_SECONDS = 120;

/**
 * Brings the database to the newest migration, and then does `more` (such as loading demo data). Servers that start at
 * once wait for each other: one does it all, and the next finds it done. Every statement of a migration may be carried
 * out twice, so one that was cut short is done over (migrations/README.md).
 *
 * It works under the account of MIGRATION_URL, which may change tables, where there is one; else under that of
 * DATABASE_URL.
 */
export async function migrate({
  folder = join(process.cwd(), 'migrations'),
  more = () => Promise.resolve(),
  before,
}: {
  folder?: string;
  more?: () => Promise<unknown>;
  /** Done before a database that holds something is changed, with the migrations that it is at and goes to. */
  before?: (has: number, knows: number) => Promise<unknown>;
} = {}): Promise<number> {
  const options = readConnectionOptions(migrationUrl());
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
    const cut = await markIn(connection);
    if (cut) throw new Error(cutShort(cut));
    const has = await migrationOf(connection);
    const knows = findNewestMigration(folder);
    if (has > knows) throw new Error(explainTooNew(has, knows));
    // Nothing of a database that holds something is changed before all of it is kept.
    if (has > 0 && has < knows) await before?.(has, knows);
    const postgrator = new Postgrator({
      driver: 'mysql',
      database: options.database ?? '',
      migrationPattern: `${folder}/*.sql`,
      schemaTable: 'schema_version',
      // The content of a file may be made safer later; its number tells whether it was carried out.
      validateChecksums: false,
      execQuery: async (sql: string) => ({ rows: (await connection.query(sql))[0] as unknown[] }),
      execSqlScript: async (sql: string) => void (await connection.query(sql)),
    });
    const done = (await postgrator.migrate().catch(explained)).length;
    await adoptHistories(options.database ?? '');
    await more();
    return done;
  } finally {
    await connection.end();
  }
}

/** MariaDB's own words, with the remedy. */
function explained(error: unknown): never {
  const { code = '', message } = error as { code?: string; message: string };
  const says: Record<string, string> = {
    ER_BINLOG_CREATE_ROUTINE_NEED_SUPER:
      'This MariaDB keeps a binary log (for Galera or a replica), and then lets nobody make the triggers that guard the histories. Set log_bin_trust_function_creators = ON in its configuration, and start again.',
    ER_OPTION_PREVENTS_STATEMENT:
      'This database only reads: it is a replica, or was made so. Give DATABASE_URL and MIGRATION_URL the address of the one that writes.',
  };
  throw says[code] ? new Error(`${says[code]} (${message})`, { cause: error }) : error;
}

/** The newest migration that was carried out on a database; 0: none was. */
async function migrationOf(connection: mysql.Connection): Promise<number> {
  const [[table]] = await connection.query<mysql.RowDataPacket[]>(
    "SELECT COUNT(*) AS n FROM information_schema.tables WHERE table_schema = DATABASE() AND table_name = 'schema_version'",
  );
  if (table?.['n'] !== 1) return 0;
  const [[row]] = await connection.query<mysql.RowDataPacket[]>(
    'SELECT MAX(version) AS version FROM schema_version',
  );
  return Number(row?.['version'] ?? 0);
}

/**
 * Dumps the database into the folder of backups before it is migrated. @throws Error with a sentence; then it is not
 * migrated
 */
export async function dumpBeforeMigration(has: number, knows: number): Promise<void> {
  const url = migrationUrl();
  const stamp = new Date().toISOString().slice(0, 19).replace(/[T:]/g, '-');
  const path = join(config().backups, `before-migration-${has}-to-${knows}-${stamp}.sql.gz`);
  try {
    await dumpInto(path, url);
  } catch (error) {
    throw new Error(
      `The database has to be migrated from ${has} to ${knows}, and could not be dumped before: ${(error as Error).message} Nothing was changed.`,
      { cause: error },
    );
  }
  log.warn({ dump: path }, `The database is migrated from ${has} to ${knows}; it was dumped before`);
}
