import { existsSync } from 'node:fs';
import { mkdir, readdir, rm, stat } from 'node:fs/promises';
import { hostname } from 'node:os';
import { join } from 'node:path';

/** Folders in which backups are put together and unpacked hold the workshop's keys. */
const NAME = /^\.staging-(?:(.*)-)?(\d+)-\d+$/;
/** Milliseconds after which one is left over, though a process of that number runs. */
const LONGEST = 2 * 24 * 60 * 60 * 1000;

/** Makes one, which nobody else reads; those of commands that were killed are removed first. */
export async function stage(beside: string): Promise<string> {
  await mkdir(beside, { recursive: true });
  await removeLeftStages(beside);
  const folder = join(beside, `.staging-${hostname()}-${process.pid}-${Date.now()}`);
  await mkdir(folder, { mode: 0o700 });
  return folder;
}

/** Removes those whose command ended without doing so: it was killed. */
export async function removeLeftStages(beside: string): Promise<void> {
  for (const name of await readdir(beside).catch(() => [])) {
    const found = NAME.exec(name);
    if (!found) continue;
    const [, machine = hostname(), pid] = found;
    const path = join(beside, name);
    const age = Date.now() - (await stat(path).catch(() => ({ mtimeMs: 0 }))).mtimeMs;
    // Of another machine on the same folder nobody here can tell whether it runs.
    if (age < LONGEST && (machine !== hostname() || existsSync(`/proc/${pid}`))) continue;
    await rm(path, { recursive: true, force: true });
  }
}
