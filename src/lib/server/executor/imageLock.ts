import { spawn, type ChildProcess } from 'node:child_process';
import { readdir, readFile, stat } from 'node:fs/promises';
import type { Socket } from 'node:net';
import { type Outcome, refusal, success } from '$core/problem';
import { filesOf } from './openDisk';

/** A file that nobody else works on as long as this is held. */
export interface ImageLock {
  release(): void;
}

/**
 * Takes an image for this process alone: no other program may have it open, by what the kernel lists, and another run
 * of ours is kept out by a lock of the kernel on the file itself. The lock goes with the process, however it ends.
 *
 * Problem code: `in-use`.
 */
export async function lockImage(path: string): Promise<Outcome<ImageLock>> {
  const held: ChildProcess[] = [];
  const release = () => {
    for (const child of held) child.stdin!.end();
  };
  const no = (message: string) => {
    release();
    return refusal('in-use', message);
  };
  const files = await filesOf(path);
  for (const file of files) {
    const child = await heldLock(file);
    if (!child) return no(`Another run works on ${file}. Only one may at a time; nothing was begun.`);
    held.push(child);
  }
  const others = await openElsewhere(
    files,
    held.map(({ pid }) => pid!),
  );
  return others ? no(others) : success({ release });
}

/**
 * Which other programs have a file of an image open, in a sentence; null: none that can be seen. @param own processes
 * that count as ours
 */
export async function openElsewhere(
  files: readonly string[],
  own: readonly number[] = [],
): Promise<string | null> {
  for (const file of files) {
    const loop = await loopOn(file);
    if (loop) return `The system has ${file} open as ${loop}. Detach it there first; nothing was begun.`;
    const others = await openers(file, new Set([process.pid, ...own]));
    if (others.length > 0)
      return `Something else has ${file} open: ${others.join(', ')}. Close it there first; nothing was begun.`;
  }
  return null;
}

/**
 * The loop device that shows a file as a disk: no program has the file open then, but the system does. null: none does.
 */
async function loopOn(path: string): Promise<string | null> {
  const { dev, ino } = await stat(path);
  for (const name of await readdir('/sys/block').catch(() => [])) {
    const backing = await readFile(`/sys/block/${name}/loop/backing_file`, 'utf8').catch(() => null);
    const file = backing === null ? null : await stat(backing.trim()).catch(() => null);
    if (file?.dev === dev && file.ino === ino) return `/dev/${name}`;
  }
  return null;
}

/** A lock that a child holds until its input ends: at the latest with this process. null: somebody else has it. */
async function heldLock(path: string): Promise<ChildProcess | null> {
  const child = spawn(
    'flock',
    ['--exclusive', '--nonblock', '--no-fork', path, 'sh', '-c', 'echo held; exec cat'],
    { stdio: ['pipe', 'pipe', 'ignore'] },
  );
  const held = await new Promise<boolean | Error>((resolve) => {
    child.stdout.once('data', () => resolve(true));
    child.once('error', (error) => resolve(error));
    child.once('close', () => resolve(false));
  });
  if (held instanceof Error) throw held;
  if (!held) return null;
  child.stdin.on('error', () => {});
  // It must not keep this process from ending.
  child.unref();
  for (const stream of [child.stdin, child.stdout]) (stream as Socket).unref();
  return child;
}

/** Other programs that have a file open, each with its number; those of other users are seen only by root. */
async function openers(path: string, own: ReadonlySet<number>): Promise<string[]> {
  const { dev, ino } = await stat(path);
  const found: string[] = [];
  for (const pid of (await readdir('/proc')).filter((name) => /^\d+$/.test(name)).map(Number)) {
    if (own.has(pid)) continue;
    // A process may end while it is looked at, and others may not be looked into.
    const files = await readdir(`/proc/${pid}/fd`).catch(() => []);
    for (const file of files) {
      const held = await stat(`/proc/${pid}/fd/${file}`).catch(() => null);
      if (held?.dev !== dev || held.ino !== ino) continue;
      const name = await readFile(`/proc/${pid}/comm`, 'utf8').catch(() => 'a program');
      found.push(`${name.trim()} (process ${pid})`);
      break;
    }
  }
  return found;
}
