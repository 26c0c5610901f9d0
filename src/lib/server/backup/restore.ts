import { existsSync } from 'node:fs';
import { copyFile, rm, stat } from 'node:fs/promises';
import { dirname, join } from 'node:path';
import { formatSize } from '$core/units';
import { makeFolderDurably, placeDurably } from '../durable';
import { freeBytes } from '../monitor/room';
import { forgetConfig } from '../settings/config';
import { DUMP, KEY, partOf, placesOf, stage, unpack, type Manifest } from './archive';
import { tried, type From } from './backup';
import { dumpInto, loadDump } from './dump';
import { newestMigration, tooNew } from './inspect';
import { emptied, tablesOf } from './scratch';

/** What a restore did beside the database. */
export interface Restored {
  manifest: Manifest;
  /** The dump of what was there before; null: there was nothing. */
  before: string | null;
  /** Files of before that were put aside, under the names that they have now. */
  aside: string[];
}

/**
 * Puts a backup in the place of what is there. First it is unpacked, held against its manifest, and restored into the scratch database;
 * only then is anything changed, after a dump of what is there. Files that differ are put aside, never thrown away. A restore that
 * fails after that loads the dump of before again.
 * @throws Error with a sentence
 */
export async function restoreBackup(path: string, from: From): Promise<Restored> {
  const { config, url, tell, signal } = from;
  makeFolderDurably(config.data);
  await hasRoomFor(path, config.data);
  const staging = await stage(config.data);
  try {
    tell('The backup is unpacked, and held against its manifest …');
    const manifest = await unpack(path, staging, signal);
    const knows = newestMigration();
    if (manifest.migration > knows) throw new Error(tooNew(manifest.migration, knows));
    tell('It is restored into the scratch database, and looked at …');
    const { broken } = await byKeyOf(staging, () => tried(join(staging, DUMP), from));
    if (broken.length > 0)
      tell(
        `Careful: the history of ${broken.length === 1 ? 'job' : 'jobs'} ${broken.slice(0, 10).join(', ')} did not hold by its own key when the backup was made.`,
      );
    signal?.throwIfAborted();

    const stamp = new Date().toISOString().replace(/[:.]/g, '-').slice(0, 19);
    let before: string | null = null;
    if ((await tablesOf(url)).length > 0) {
      tell('What is there now is dumped …');
      before = join(config.backups, `before-restore-${stamp}.sql.gz`);
      await dumpInto(before, url, signal);
    }
    tell('The database is restored …');
    try {
      await emptied(url);
      await loadDump(join(staging, DUMP), url);
    } catch (error) {
      if (before === null) throw error;
      tell('That failed; what was there before is put back …');
      await emptied(url);
      await loadDump(before, url);
      throw new Error(
        `The backup was not restored, and everything is as it was: ${(error as Error).message}`,
        { cause: error },
      );
    }
    const aside: string[] = [];
    const place = placesOf(config);
    for (const part of manifest.parts) {
      if (part.name === DUMP) continue;
      const there = place(part.name);
      if (existsSync(there)) {
        const { sha256 } = await partOf(there, part.name);
        if (sha256 === part.sha256) continue;
        const put = `${there}.before-${stamp}`;
        await placeDurably(there, put, { over: true });
        aside.push(put);
      }
      makeFolderDurably(dirname(there), 0o700);
      // The folder of images may be a disk of its own; the name comes only once all of it has arrived.
      const arriving = `${there}.part`;
      await copyFile(join(staging, part.name), arriving);
      await placeDurably(arriving, there, { over: true });
    }
    return { manifest, before, aside };
  } finally {
    await rm(staging, { recursive: true, force: true });
  }
}

/** A backup is unpacked beside what is there, so there has to be room for both. @throws Error with a sentence */
async function hasRoomFor(path: string, folder: string): Promise<void> {
  const [{ size }, free] = await Promise.all([stat(path), freeBytes(folder)]);
  if (free !== null && free < 2 * size)
    throw new Error(
      `There is no room to unpack the backup in ${folder}: ${formatSize(2 * size)} are needed, ${formatSize(free)} are free.`,
    );
}

/** Works with the key that came with a backup, as if it were this bench's. */
async function byKeyOf<T>(staging: string, work: () => Promise<T>): Promise<T> {
  const own = process.env['GENTLE_TIDE_KEY_FILE'];
  process.env['GENTLE_TIDE_KEY_FILE'] = join(staging, KEY);
  forgetConfig();
  try {
    return await work();
  } finally {
    if (own === undefined) delete process.env['GENTLE_TIDE_KEY_FILE'];
    else process.env['GENTLE_TIDE_KEY_FILE'] = own;
    forgetConfig();
  }
}
