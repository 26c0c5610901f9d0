import { existsSync } from 'node:fs';
import { copyFile, readdir, rm, stat } from 'node:fs/promises';
import { dirname, join } from 'node:path';
import { formatSize } from '$core/units';
import { makeFolderDurably, placeDurably } from '../../platform/durable';
import { freeBytes } from '../../platform/diskRoom';
import { forgetConfig } from '../../platform/settings/config';
import { DUMP, KEY, partOf, placesOf, readManifest, unpack, type BackupManifest } from './archive';
import { scratchOf, restoreToScratch, type From } from './backup';
import { dumpInto, loadDump } from './dump';
import { findNewestMigration, explainTooNew } from './inspect';
import { MARK, markOf, removeMark, setMark, type RestoreMark } from './mark';
import { emptied, findScratchProblem, tablesOf, findTooMuchAccess } from './scratch';
import { isSealedHere } from './seal';
import { removeLeftStages, stage } from './staging';

/** Effects of a restore beside the database. */
export interface Restored {
  manifest: BackupManifest;
  /** The dump of what was there before; null: there was nothing. */
  before: string | null;
  /** Files of before that were put aside, under the names that they have now. */
  aside: string[];
}

/**
 * How many times its own size a backup without this workshop's seal may come to: images have holes, but not without
 * end.
 */
const MAX_HOLES = 1000;

/**
 * Puts a backup in the place of what is there. First it is held against its seal and its manifest, unpacked, and
 * restored into the scratch database by an account that sees nothing else; only then is anything changed, after a dump
 * of what is there. What is loaded is a dump of the scratch database: no statement of the backup runs anywhere else.
 * Files that differ are put aside, never thrown away. A mark stands in the database meanwhile, so that one that is cut
 * short is gone on with, or back from.
 * @param trust asked where the backup has no seal of this workshop, with why in a sentence: the word of an owner
 * @throws Error with a sentence
 */
export async function restoreBackup(
  path: string,
  from: From,
  trust: (why: string) => Promise<boolean> = () => Promise.resolve(false),
): Promise<Restored> {
  const { config, url, tell, signal } = from;
  makeFolderDurably(config.data);
  const manifest = await readManifest(path, signal);
  await trusted(path, manifest, from, trust);
  await hasRoomFor(path, config.data);
  const scratch = scratchOf(config, url);
  const wrong = (await findScratchProblem(scratch)) ?? (await findTooMuchAccess(scratch));
  if (wrong) throw new Error(wrong);
  const staging = await stage(config.data);
  try {
    tell('The backup is unpacked, and held against its manifest …');
    await unpack(path, manifest, staging, signal);
    const knows = findNewestMigration();
    if (manifest.migration > knows) throw new Error(explainTooNew(manifest.migration, knows));
    tell('It is restored into the scratch database, and looked at …');
    const clean = join(staging, 'clean.sql.gz');
    const { broken } = await byKeyOf(staging, () =>
      restoreToScratch(join(staging, DUMP), from, (looked) => dumpInto(clean, looked, signal)),
    );
    if (broken.length > 0)
      tell(
        `Careful: the history of ${broken.length === 1 ? 'job' : 'jobs'} ${broken.slice(0, 10).join(', ')} did not hold by its own key when the backup was made.`,
      );
    signal?.throwIfAborted();

    const mark = await marked(path, from);
    tell('The database is restored …');
    try {
      await replaceBy(clean, url);
    } catch (error) {
      if (mark.before === null) throw error;
      tell('That failed; what was there before is put back …');
      await goBack(from);
      throw new Error(
        `The backup was not restored, and everything is as it was: ${(error as Error).message}`,
        { cause: error },
      );
    }
    const aside = await placeFiles(manifest, staging, mark, from);
    await removeMark(url);
    return { manifest, before: mark.before, aside };
  } finally {
    await rm(staging, { recursive: true, force: true });
  }
}

/**
 * Takes what was there before a restore that was cut short, database and files. @returns what was; null: no restore was
 * cut short
 */
export async function goBack({ config, url }: From): Promise<RestoreMark | null> {
  const mark = await markOf(url);
  if (!mark) return null;
  if (mark.before === null) await emptied(url, MARK);
  else await replaceBy(mark.before, url);
  const end = asideOf('', mark);
  for (const folder of [dirname(config.keyFile), join(config.data, 'tls'), config.images])
    for (const name of await readdir(folder).catch(() => []))
      if (name.endsWith(end))
        await placeDurably(join(folder, name), join(folder, name.slice(0, -end.length)), { over: true });
  await removeMark(url);
  await removeLeftStages(config.data);
  return mark;
}

/** Loads a dump in the place of all that a database has; the mark stays. */
async function replaceBy(dump: string, url: string): Promise<void> {
  await emptied(url, MARK);
  await loadDump(dump, url);
}

/**
 * The mark of this restore, or of one that was cut short: what was there before that one is what can be gone back to.
 */
async function marked(path: string, { config, url, tell, signal }: From): Promise<RestoreMark> {
  const cut = await markOf(url);
  const stamp = cut?.stamp ?? new Date().toISOString().replace(/[:.]/g, '-').slice(0, 19);
  let before = cut?.before ?? null;
  if (!cut && (await tablesOf(url)).some((name) => name !== MARK)) {
    tell('What is there now is dumped …');
    before = join(config.backups, `before-restore-${stamp}.sql.gz`);
    await dumpInto(before, url, signal);
  }
  const mark = { backup: path, before, stamp };
  await setMark(url, mark);
  return mark;
}

const asideOf = (path: string, { stamp }: RestoreMark): string => `${path}.before-${stamp}`;

/** Puts the files of a backup in their places. @returns names under which those of before are put aside */
async function placeFiles(
  manifest: BackupManifest,
  staging: string,
  mark: RestoreMark,
  { config }: From,
): Promise<string[]> {
  const aside: string[] = [];
  const place = placesOf(config);
  for (const part of manifest.parts) {
    if (part.name === DUMP) continue;
    const there = place(part.name);
    if (existsSync(there)) {
      const { sha256 } = await partOf(there, part.name);
      if (sha256 === part.sha256) continue;
      const put = asideOf(there, mark);
      // A restore that was cut short put aside what was there first; that stays.
      if (!existsSync(put)) await placeDurably(there, put, { over: true });
      aside.push(put);
    }
    makeFolderDurably(dirname(there), 0o700);
    // The folder of images may be a disk of its own; the name comes only once all of it has arrived.
    const arriving = `${there}.part`;
    await copyFile(join(staging, part.name), arriving);
    await placeDurably(arriving, there, { over: true });
  }
  return aside;
}

/** A backup with this workshop's seal, or with the word of an owner. @throws Error with a sentence */
async function trusted(
  path: string,
  manifest: BackupManifest,
  { config }: From,
  trust: (why: string) => Promise<boolean>,
): Promise<void> {
  if (isSealedHere(config, manifest)) return;
  const why = `${path} has no seal of this bench: it was made by another one or an older release, or it was altered.`;
  const { size } = await stat(path);
  const bytes = manifest.parts.reduce((sum, part) => sum + part.bytes, 0);
  if (bytes > MAX_HOLES * size)
    throw new Error(
      `${why} Its parts come to ${formatSize(bytes)}, in a file of ${formatSize(size)}. Nothing was unpacked.`,
    );
  if (!(await trust(why))) throw new Error(`${why} An owner may say that it is trusted all the same.`);
}

/** A backup is unpacked beside what is there, so there has to be room for both. @throws Error with a sentence */
async function hasRoomFor(path: string, folder: string): Promise<void> {
  const [{ size }, free] = await Promise.all([stat(path), freeBytes(folder)]);
  if (free !== null && free < 2 * size)
    throw new Error(
      `There is no room to unpack the backup in ${folder}: ${formatSize(2 * size)} are needed, ${formatSize(free)} are free.`,
    );
}

/** Works with the key that came with a backup, as if it were this workshop's. */
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
