import { existsSync } from 'node:fs';
import { resolve } from 'node:path';
import { BACKUP, buildIfChanged } from './build.mjs';
import { runningUrl, startDatabase } from './privateDatabase.mjs';

const FOLDER = '.local/database';
const NAMES = ['gentle_tide', 'gentle_tide_scratch'];

/**
 * The database that the bench works with, for a command beside the server: the one of the environment, or the private one of `./start`,
 * which is started for the time where it does not run.
 * @returns {Promise<{ url: string, running: boolean, stop: () => Promise<void> }>} by an account that may change tables
 */
export async function benchDatabase() {
  const told = process.env['MIGRATION_URL'] || process.env['DATABASE_URL'];
  if (told) return { url: told, running: false, stop: async () => {} };
  const running = runningUrl(FOLDER, 'gentle_tide');
  if (running) return { url: running, running: true, stop: async () => {} };
  if (!existsSync(FOLDER)) {
    throw new Error('there is no database here: ./start was never run, and DATABASE_URL names none');
  }
  const started = await startDatabase(FOLDER, NAMES);
  return { url: started.keeperUrl('gentle_tide'), running: false, stop: started.stop };
}

/** Stops what a command does when it is told to. */
export function stopped() {
  const controller = new AbortController();
  for (const signal of /** @type {const} */ (['SIGINT', 'SIGTERM', 'SIGHUP']))
    process.once(signal, () => controller.abort());
  return controller.signal;
}

/** What was built for backups, as the server was; where nothing was built yet it is now. @returns {Promise<typeof import('../src/lib/server/backup/index.ts')>} */
export async function backupTools() {
  if (!existsSync(BACKUP)) await buildIfChanged();
  return import(resolve(BACKUP));
}
