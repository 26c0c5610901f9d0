import { spawn } from 'node:child_process';
import { readdir, readFile, stat } from 'node:fs/promises';
import type { Socket } from 'node:net';
import { failure, success, type Outcome } from '$core/problem';

/** A file that nobody else works on as long as this is held. */
export interface ImageLock {
  release(): void;
}

/**
 * Takes an image for this process alone: no other program may have it open, by what the kernel lists, and another run of ours is kept out by a lock
 * of the kernel on the file itself. The lock goes with the process, however it ends.
 *
 * Problem code: `in-use`.
 */
export async function lockImage(path: string): Promise<Outcome<ImageLock>> {
  const no = (message: string) => failure({ code: 'in-use', path: '', message });
  const others = await openers(path);
  if (others.length > 0)
    return no(
      `Something else has ${path} open: ${others.join(', ')}. Close it there first; nothing was begun.`,
    );
  // Held by a child that ends as soon as its input does: at the latest with this process.
  const child = spawn(
    'flock',
    ['--exclusive', '--nonblock', '--conflict-exit-code', '7', path, 'sh', '-c', 'echo held; exec cat'],
    {
      stdio: ['pipe', 'pipe', 'ignore'],
    },
  );
  const held = await new Promise<boolean | Error>((resolve) => {
    child.stdout.once('data', () => resolve(true));
    child.once('error', (error) => resolve(error));
    child.once('close', () => resolve(false));
  });
  if (held instanceof Error) throw held;
  if (!held) return no(`Another run works on ${path}. Only one may at a time; nothing was begun.`);
  child.stdin.on('error', () => {});
  // It must not keep this process from ending.
  child.unref();
  for (const stream of [child.stdin, child.stdout]) (stream as Socket).unref();
  return success({ release: () => void child.stdin.end() });
}

/** Programs other than this one that have a file open, each with its number; those of other users are seen only by root. */
export async function openers(path: string): Promise<string[]> {
  const { dev, ino } = await stat(path);
  const found: string[] = [];
  const own = new Set([process.pid]);
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
