import { spawn } from 'node:child_process';
import { existsSync } from 'node:fs';
import { lstat, readFile, rm, stat, writeFile } from 'node:fs/promises';
import { basename, dirname, join, parse } from 'node:path';
import { parseVmdkDescriptor } from '$core/images/vmdkDescriptor';
import { type Outcome, refusal, success } from '$core/problem';
import { makeFolderDurably, placeDurably, writeDurably } from '../../platform/durable';
import { descriptionOf } from '../../executor/openDisk';
import { PART } from '../../platform/imageNames';
import { plainFilesOf } from '../images/plain';
import type { Site } from './site';
import { Stopped, type RunReporter } from './runReporter';

/** Milliseconds between two looks at a copy that is being made. */
const LOOK = 200;

type CopySite = Extract<Site, { place: 'copy' }>;

/**
 * The file with the bytes of a copy, as the run that made it notes it: its name alone is no proof, since anybody may
 * put a file of that name there. A description that leads to it is written anew when the disk grows, and is known by
 * where it leads.
 */
interface OwnBytes {
  path: string;
  inode: number;
  /** Milliseconds; 0 where the file system does not say. */
  born: number;
}

/**
 * The copy of an image that this run works on; where it is not there yet it is made. Only files that this run has noted
 * as its own are changed or removed.
 *
 * @param begun the run has begun to write, and its journal is there
 *
 * Problem codes: `gone`, `no-room`, `copy`, `name-taken`.
 * @throws Stopped
 */
export async function makeOwnCopy(
  site: CopySite,
  begun: boolean,
  reporter: RunReporter,
): Promise<Outcome<null>> {
  await removeParts(site);
  const own = await ownFiles(site);
  const taken = (path: string) =>
    refusal(
      'name-taken',
      `${basename(path)} lies in the folder of images and is not this run’s. Nothing was written. Rename it, and begin again.`,
    );
  if (own.includes(site.disk)) return success(null);
  // A copy of an earlier release has no note, but its journal names its disk.
  if (begun) return existsSync(site.note) && existsSync(site.disk) ? taken(site.disk) : success(null);
  for (const path of [site.disk, site.journal]) if (existsSync(path)) return taken(path);
  // Pieces of a copy that was not finished.
  for (const path of own) await rm(path, { force: true });
  const made = await copyImage(site, reporter);
  if (!made.ok) return made;
  try {
    await noteOwn(site, made.value[0]!);
    // The description last: under its name the copy is whole.
    for (const [part, path] of made.value) await placeDurably(part, path, { over: false });
    return success(null);
  } catch (error) {
    const { code, path } = error as NodeJS.ErrnoException;
    if (code !== 'EEXIST') throw error;
    return taken(path ?? site.disk);
  } finally {
    for (const [part] of made.value) await rm(part, { force: true });
  }
}

/** Removes the copy that a run made; another file of that name stays. */
export async function removeCopy(site: CopySite): Promise<void> {
  for (const path of await ownFiles(site)) await rm(path, { force: true });
}

/** Whether the copy that lies there was made by its run. */
export const isOwnCopy = async (site: CopySite): Promise<boolean> =>
  (await ownFiles(site)).includes(site.disk);

/** The run's note about its copy; null: none yet. */
async function noteIn({ note }: CopySite): Promise<OwnBytes | null> {
  const text = await readFile(note, 'utf8').catch(() => null);
  return text === null ? null : (JSON.parse(text) as OwnBytes);
}

/**
 * A run that was killed while it named its copy left the name of before beside it; with two names the copy is no plain
 * file.
 */
async function removeParts(site: CopySite): Promise<void> {
  const noted = await noteIn(site);
  for (const path of [site.disk, ...(noted ? [noted.path] : [])]) await rm(partOf(path), { force: true });
}

/** Files of the copy that are still the ones that this run made. */
async function ownFiles(site: CopySite): Promise<string[]> {
  const noted = await noteIn(site);
  if (!noted) return [];
  const { disk } = site;
  const { path, inode, born } = noted;
  const now = await lstat(path).catch(() => null);
  if (!now?.isFile() || now.ino !== inode || now.birthtimeMs !== born) return [];
  if (path === disk) return [disk];
  const files = await plainFilesOf(disk);
  return files?.length === 2 && files[1] === path ? [disk, path] : [path];
}

async function noteOwn({ note }: CopySite, [part, path]: Made): Promise<void> {
  const { ino, birthtimeMs } = await stat(part);
  const own: OwnBytes = { path, inode: ino, born: birthtimeMs };
  makeFolderDurably(dirname(note));
  await writeDurably(note, JSON.stringify(own), { over: true });
}

/** A file under the name that nobody takes for an image yet, and the name that it gets. */
type Made = [part: string, path: string];

/** Copies an image with its holes: the bytes, then the description where there is one, which leads to that copy. */
async function copyImage({ from, disk }: CopySite, reporter: RunReporter): Promise<Outcome<Made[]>> {
  const files = await plainFilesOf(from);
  if (!files) return refusal('gone', `${basename(from)} is not in the folder of images any more.`);
  const [, beside] = files;
  if (!beside) return copyFile(from, disk, reporter);
  const piece = `${parse(disk).name}-bytes${parse(beside).ext}`;
  const copied = await copyFile(beside, join(dirname(disk), piece), reporter);
  if (!copied.ok) return copied;
  const text = (await descriptionOf(from)).replaceAll(`"${basename(beside)}"`, `"${piece}"`);
  // A copy that leads to the bytes of the original would not leave it as it is.
  if (parseVmdkDescriptor(text)?.extents.some(({ file }) => file !== piece) !== false) {
    for (const [part] of copied.value) await rm(part, { force: true });
    return refusal(
      'copy',
      `The description in ${basename(from)} can’t be led to a copy of its bytes. Copy both files yourself, and survey the copy.`,
    );
  }
  const part = partOf(disk);
  await rm(part, { force: true });
  await writeFile(part, text, { flag: 'wx', flush: true });
  return success([...copied.value, [part, disk]]);
}

const partOf = (path: string): string => join(dirname(path), `.${basename(path)}${PART}`);

async function copyFile(from: string, to: string, reporter: RunReporter): Promise<Outcome<Made[]>> {
  const part = partOf(to);
  await rm(part, { force: true });
  const total = (await stat(from)).blocks * 512;
  // The system's own copy knows where a file has holes, and shares what it can where the file system allows it.
  const child = spawn('cp', ['--sparse=always', '--', from, part], { stdio: ['ignore', 'ignore', 'pipe'] });
  let errors = '';
  child.stderr.on('data', (chunk: Buffer) => (errors = (errors + chunk.toString()).slice(-2000)));
  const ended = new Promise<number>((done) => {
    child.once('error', () => done(-1));
    child.once('close', (code) => done(code ?? -1));
  });
  let code: number | null = null;
  void ended.then((value) => (code = value));
  try {
    while (code === null) {
      await Promise.race([ended, new Promise((done) => setTimeout(done, LOOK))]);
      const { blocks } = await stat(part).catch(() => ({ blocks: 0 }));
      await reporter.made(Math.min(total, blocks * 512), total);
    }
  } catch (error) {
    child.kill('SIGKILL');
    await ended;
    if (error instanceof Stopped) await rm(part, { force: true });
    throw error;
  }
  if (code !== 0) {
    await rm(part, { force: true });
    return errors.includes('No space left')
      ? refusal('no-room', 'There is no room on the server for a copy of the image.')
      : refusal('copy', `The image could not be copied: ${errors.trim().split('\n').at(-1) ?? 'cp ended'}.`);
  }
  return success([[part, to]]);
}
