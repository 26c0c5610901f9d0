import { createHash } from 'node:crypto';
import { readdir, readFile, rename, rm, stat } from 'node:fs/promises';
import { basename, dirname, join } from 'node:path';
import type { Inventory } from '$core/executor';
import type { Step } from '$core/steps';
import { flushFile, flushFolder, writeDurably } from '../platform/durable';

/**
 * What lies beside a journal under its name: the steps, what the disk held before, what its files were like when a run
 * left them, and stores.
 */
const STEPS = '.steps.json';
const BEFORE = '.before.json';
const LEFT = '.left.json';
/** Part of the names of a run's files that was given up: nobody's any more. */
export const GIVEN_UP = '.given-up-';

/** A store holds a partition that was set aside, or copied out. */
export const isStoreName = (name: string): boolean => /^(partition|copy)-\d{1,4}$/.test(name);
export const storeBeside = (journal: string, name: string): string => `${journal}.${name}`;

/** Names of what a run left beside a journal, without the journal itself. */
export async function findRemainsBeside(journal: string): Promise<string[]> {
  const name = basename(journal);
  const names = await readdir(dirname(journal)).catch(() => []);
  const remains = /^\.(steps|before|left)\.json$|^\.(partition|copy)-\d+(\.new)?$/;
  return names.filter((one) => one.startsWith(name) && remains.test(one.slice(name.length)));
}

/**
 * Puts a journal aside under another name: its run is over, and whoever has to find out later what became of the disk
 * still has it.
 */
export async function putAsideJournal(journal: string, run: string | number): Promise<void> {
  for (const path of await journalFiles(journal))
    await rename(path, `${journal}${GIVEN_UP}${run}${path.slice(journal.length)}`).catch(notThere);
  await flushFolder(dirname(journal));
}

/**
 * What becomes of the journal of a run that was ended between two steps: a store may hold the only copy of a partition
 * that was set aside, so then all of it is put aside; else nobody needs it. @returns whether it was put aside
 */
export async function leaveJournal(journal: string, run: string | number): Promise<boolean> {
  const stores = (await findRemainsBeside(journal)).some((name) => !name.endsWith('.json'));
  await (stores ? putAsideJournal(journal, run) : removeJournal(journal));
  return stores;
}

/** Removes it, once nobody needs it any more. */
export async function removeJournal(journal: string): Promise<void> {
  for (const path of await journalFiles(journal)) await rm(path, { force: true });
}

function notThere(error: NodeJS.ErrnoException): void {
  if (error.code !== 'ENOENT') throw error;
}

/**
 * All files of a journal: itself last, so that what is left of a removal that was cut short still tells whose it is.
 */
export async function journalFiles(journal: string): Promise<string[]> {
  return [...(await findRemainsBeside(journal)).map((name) => join(dirname(journal), name)), journal];
}

export const writeSteps = (journal: string, steps: readonly Step[]): Promise<void> =>
  writeDurably(`${journal}${STEPS}`, JSON.stringify(steps), { over: true });

/** The text of the steps beside a journal; null: it is not there. */
export const readStepsText = (journal: string): Promise<string | null> =>
  readFile(`${journal}${STEPS}`, 'utf8').catch(() => null);

/** Keeps what a disk held before. @returns the SHA-256 of what was written */
export async function writeInventory(journal: string, before: Inventory): Promise<string> {
  const text = JSON.stringify(before);
  await writeDurably(`${journal}${BEFORE}`, text, { over: true });
  return sha256Of(text);
}

/** Former content of the disk; null where it is lost: missing, or other than it was written. */
export async function readInventory(journal: string, sha256: string | null): Promise<Inventory | null> {
  const text = await readFile(`${journal}${BEFORE}`, 'utf8').catch(() => null);
  return text !== null && sha256Of(text) === sha256 ? (JSON.parse(text) as Inventory) : null;
}

const sha256Of = (text: string): string => createHash('sha256').update(text).digest('hex');

/** Bytes, and whole milliseconds since 1970. */
type Left = [size: number, changed: number];
const leftNow = (files: readonly string[]): Promise<Left[]> =>
  Promise.all(
    files.map(async (file): Promise<Left> => {
      const { size, mtimeMs } = await stat(file);
      return [size, Math.floor(mtimeMs)];
    }),
  );

/**
 * Notes what an image's files are like as a run leaves them; their times are made safe first, which flushing their
 * bytes alone does not.
 */
export async function noteLeft(journal: string, files: readonly string[]): Promise<void> {
  for (const file of files) await flushFile(file);
  await writeDurably(`${journal}${LEFT}`, JSON.stringify(await leftNow(files)), { over: true });
}

/** Removes the note: from now on the files change. */
export const forgetLeft = (journal: string): Promise<void> => rm(`${journal}${LEFT}`, { force: true });

/** The file that is not as a run left it; null: all are, or the run did not come to note it (it was killed). */
export async function findChangeSinceLeft(journal: string, files: readonly string[]): Promise<string | null> {
  const text = await readFile(`${journal}${LEFT}`, 'utf8').catch(() => null);
  if (text === null) return null;
  const before = JSON.parse(text) as Left[];
  const now = await leftNow(files);
  const changed = now.findIndex(([size, at], i) => size !== before[i]?.[0] || at !== before[i][1]);
  return changed < 0 ? null : basename(files[changed]!);
}
