import { spawn } from 'node:child_process';
import { existsSync } from 'node:fs';
import { readFile, rm, stat } from 'node:fs/promises';
import { basename, dirname, join, parse } from 'node:path';
import type { Disk } from '$core/disk';
import { parseVmdkDescriptor } from '$core/images/vmdkDescriptor';
import { failure, success, type Outcome } from '$core/problem';
import { noteLeft } from '../bench/beside';
import { mayGoOn } from '../bench/carryOut';
import { lockImage } from '../bench/imageLock';
import { openDisk } from '../bench/openDisk';
import { placeDurably, writeDurably } from '../durable';
import { PART } from '../images/folder';
import { plainFilesOf } from '../images/plain';
import type { Ground, Rehearsing } from './rehearsing';
import type { Site } from './site';
import { Stopped, type Telling } from './telling';

/** Milliseconds between two looks at a copy that is being made. */
const LOOK = 200;

const no = (code: string, message: string) => failure({ code, path: '', message });

/**
 * Opens an image to be worked on, by this run alone; where it is a copy that is not there yet, makes it first.
 *
 * Problem codes: `gone`, `journal-gone`, `in-use`, `changed` (something wrote to it since the run stopped), `no-room`, those of `openDisk`.
 * @throws Stopped
 */
export async function openImageToWorkOn(
  site: Exclude<Site, { place: 'stand-in' }>,
  disk: Disk,
  { progress }: Rehearsing,
  told: Telling,
): Promise<Outcome<Ground>> {
  const begun = progress.phase === 'carrying-out' || progress.phase === 'after';
  // Begun anew it would take what lies half in one place and half in another for whole.
  if (begun && !existsSync(site.journal))
    return no(
      'journal-gone',
      `The journal beside ${basename(site.disk)} is not there any more, and only it knows how far the run was. Nothing was written; restore the image, or bring the journal back.`,
    );
  if (site.place === 'copy' && !existsSync(site.disk)) {
    const copied = await copyImage(site.from, site.disk, told);
    if (!copied.ok) return copied;
  }
  const files = await plainFilesOf(site.disk);
  if (!files) return no('gone', `${basename(site.disk)} is not in the folder of images any more.`);
  const lock = await lockImage(site.disk);
  if (!lock.ok) return lock;
  if (begun || existsSync(site.journal)) {
    const may = await mayGoOn(site.journal, files);
    if (!may.ok) {
      lock.value.release();
      return may;
    }
  }
  const opened = await openDisk(site.disk);
  if (!opened.ok) {
    lock.value.release();
    return opened;
  }
  const { device, serial, close } = opened.value;
  return success({
    device: told.paced(device, disk),
    files,
    serial,
    leave: async ({ ended, entered }) => {
      await (ended && entered ? close() : opened.value.leave());
      if (entered && existsSync(site.journal)) await noteLeft(site.journal, files);
      lock.value.release();
    },
  });
}

/** Copies an image with its holes; under its name it is whole. A description leads to its own copy of the bytes. */
async function copyImage(from: string, to: string, told: Telling): Promise<Outcome<null>> {
  const files = await plainFilesOf(from);
  if (!files) return no('gone', `${basename(from)} is not in the folder of images any more.`);
  const [, beside] = files;
  const rooms = await Promise.all(files.map(async (file) => (await stat(file)).blocks * 512));
  const total = rooms.reduce((sum, room) => sum + room, 0);
  if (!beside) return await copyFile(from, to, told, { before: 0, total });
  const piece = `${parse(to).name}-bytes${parse(beside).ext}`;
  const copied = await copyFile(beside, join(dirname(to), piece), told, { before: 0, total });
  if (!copied.ok) return copied;
  const text = (await readFile(from, 'utf8')).replaceAll(`"${basename(beside)}"`, `"${piece}"`);
  // A copy that leads to the bytes of the original would not leave it as it is.
  if (parseVmdkDescriptor(text)?.extents.some(({ file }) => file !== piece) !== false) {
    await rm(join(dirname(to), piece), { force: true });
    return no(
      'copy',
      `The description in ${basename(from)} can’t be led to a copy of its bytes. Copy both files yourself, and survey the copy.`,
    );
  }
  await writeDurably(to, text, { over: false });
  return success(null);
}

async function copyFile(
  from: string,
  to: string,
  told: Telling,
  { before, total }: { before: number; total: number },
): Promise<Outcome<null>> {
  const part = join(dirname(to), `.${basename(to)}${PART}`);
  await rm(part, { force: true });
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
      await told.made(Math.min(total, before + blocks * 512), total);
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
      ? no('no-room', 'There is no room on the server for a copy of the image.')
      : no('copy', `The image could not be copied: ${errors.trim().split('\n').at(-1) ?? 'cp ended'}.`);
  }
  await placeDurably(part, to, { over: true });
  return success(null);
}

/** Removes a copy that a run made, with the bytes that its description leads to. */
export async function removeCopy(path: string): Promise<void> {
  for (const file of (await plainFilesOf(path)) ?? []) await rm(file, { force: true });
}
