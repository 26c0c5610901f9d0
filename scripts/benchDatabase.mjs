import { existsSync } from 'node:fs';
import { resolve } from 'node:path';
import { BACKUP, buildIfChanged } from './build.mjs';
import { running, startDatabase } from './privateDatabase.mjs';

const FOLDER = '.local/database';
const BENCH = 'gentle_tide';
const SCRATCH = 'gentle_tide_scratch';

/**
 * The database that the bench works with, for a command beside the server: the one of the environment, or the private
 * one of `./start`, which is started for the time where it does not run; its scratch database is then named in the
 * environment.
 * @returns {Promise<{ url: string, stop: () => Promise<void> }>} by an account that may change tables
 */
export async function benchDatabase() {
  const told = process.env['MIGRATION_URL'] || process.env['DATABASE_URL'];
  if (told) return { url: told, stop: async () => {} };
  const here = running(FOLDER);
  if (!here && !existsSync(FOLDER)) {
    throw new Error('there is no database here: ./start was never run, and DATABASE_URL names none');
  }
  const started = here ? null : await startDatabase(FOLDER, [BENCH, SCRATCH]);
  const { keeperUrl, scratchUrl } = here ?? /** @type {NonNullable<typeof started>} */ (started);
  process.env['SCRATCH_URL'] ||= scratchUrl(SCRATCH);
  return { url: keeperUrl(BENCH), stop: started?.stop ?? (async () => {}) };
}

/** Stops what a command does when it is told to. */
export function stopped() {
  const controller = new AbortController();
  for (const signal of /** @type {const} */ (['SIGINT', 'SIGTERM', 'SIGHUP']))
    process.once(signal, () => controller.abort());
  return controller.signal;
}

/**
 * What was built for backups, as the server was; where nothing was built yet it is now.
 * @returns {Promise<typeof import('../src/lib/server/store/backup/index.ts')>}
 */
export async function backupTools() {
  if (!existsSync(BACKUP)) await buildIfChanged();
  return import(resolve(BACKUP));
}
