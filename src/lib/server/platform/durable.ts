import { randomBytes } from 'node:crypto';
import {
  closeSync,
  existsSync,
  fsyncSync,
  linkSync,
  mkdirSync,
  openSync,
  renameSync,
  rmSync,
  writeFileSync,
} from 'node:fs';
import { link, open, rename, rm, writeFile } from 'node:fs/promises';
import { basename, dirname, join, resolve } from 'node:path';

/**
 * Files that no power cut loses or leaves half-written. The order is the same everywhere: the bytes are flushed, then
 * the file gets its name, then the folder that holds the name is flushed. Without the last, a file system may forget a
 * name that was given long ago.
 */

export interface Durably {
  /** Permissions of a file that is made; default as the system has it. */
  mode?: number;
  /** Whether a file that lies there is replaced; where it is not, `EEXIST` is thrown and nothing changes. */
  over: boolean;
}

/** A name of its own beside a file, for what is not whole yet; hidden, and nobody's image. */
const besideName = (path: string): string =>
  join(dirname(path), `.${basename(path)}.${randomBytes(4).toString('hex')}.part`);

/** Returns once all of a file, its size and times too, is where no power cut reaches it. */
export async function flushFile(path: string): Promise<void> {
  const file = await open(path, 'r');
  try {
    await file.sync();
  } finally {
    await file.close();
  }
}

/** The same for every name in a folder. */
export const flushFolder = flushFile;

/** Writes a file whole or not at all. @throws EEXIST where one lies there and is not to be replaced */
export async function writeDurably(
  path: string,
  content: string | Uint8Array,
  { mode, over }: Durably,
): Promise<void> {
  const fresh = besideName(path);
  try {
    await writeFile(fresh, content, { flag: 'wx', flush: true, ...(mode === undefined ? {} : { mode }) });
    await placeDurably(fresh, path, { over });
  } finally {
    await rm(fresh, { force: true });
  }
}

/**
 * Gives a file that is whole its name, within one file system; under the name it had it is gone, or about to be removed
 * by whoever made it.
 *
 * @throws EEXIST where one lies there and is not to be replaced
 */
export async function placeDurably(from: string, to: string, { over }: Pick<Durably, 'over'>): Promise<void> {
  await flushFile(from);
  if (over) await rename(from, to);
  else await linkOrRename(from, to);
  await flushFolder(dirname(to));
  if (dirname(from) !== dirname(to)) await flushFolder(dirname(from));
}

/** A link fails where there is a file, a rename replaces it; file systems of sticks know no links. */
async function linkOrRename(from: string, to: string): Promise<void> {
  try {
    await link(from, to);
  } catch (error) {
    const { code } = error as NodeJS.ErrnoException;
    if (code !== 'EPERM' && code !== 'ENOTSUP' && code !== 'EOPNOTSUPP') throw error;
    if (existsSync(to))
      throw Object.assign(new Error(`${to} is there already`), { code: 'EEXIST', path: to });
    await rename(from, to);
  }
}

/** Makes a folder with all that lead to it, where it is not there yet; their names are safe as well. */
export function makeFolderDurably(path: string, mode?: number): void {
  const first = mkdirSync(path, { recursive: true, ...(mode === undefined ? {} : { mode }) });
  if (first === undefined) return;
  for (let at = resolve(path); at.length >= resolve(first).length; at = dirname(at))
    flushFolderSync(dirname(at));
}

/** The same as {@link writeDurably} for what is asked for before anything else can be done: keys. */
export function writeDurablySync(path: string, content: string, { mode, over }: Durably): void {
  const fresh = besideName(path);
  try {
    writeFileSync(fresh, content, { flag: 'wx', flush: true, ...(mode === undefined ? {} : { mode }) });
    if (over) renameSync(fresh, path);
    else linkSync(fresh, path);
    flushFolderSync(dirname(path));
  } finally {
    rmSync(fresh, { force: true });
  }
}

function flushFolderSync(path: string): void {
  const folder = openSync(path, 'r');
  try {
    fsyncSync(folder);
  } finally {
    closeSync(folder);
  }
}
