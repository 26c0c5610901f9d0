import { existsSync } from 'node:fs';
import { mkdir, readdir, rm, stat } from 'node:fs/promises';
import { join } from 'node:path';

/** Folders in which backups are put together and unpacked hold the bench's keys. */
const NAME = /^\.staging-(\d+)-\d+$/;
/** Milliseconds after which one is left over, though a process of that number runs. */
const LONGEST = 2 * 24 * 60 * 60 * 1000;

/** Makes one, which nobody else reads; those of commands that were killed are removed first. */
export async function stage(beside: string): Promise<string> {
  await mkdir(beside, { recursive: true });
  await removeLeftStages(beside);
  const folder = join(beside, `.staging-${process.pid}-${Date.now()}`);
  await mkdir(folder, { mode: 0o700 });
  return folder;
}

/** Removes those whose command ended without doing so: it was killed. */
export async function removeLeftStages(beside: string): Promise<void> {
  for (const name of await readdir(beside).catch(() => [])) {
    const pid = NAME.exec(name)?.[1];
    if (pid === undefined) continue;
    const path = join(beside, name);
    const age = Date.now() - (await stat(path).catch(() => ({ mtimeMs: 0 }))).mtimeMs;
    if (existsSync(`/proc/${pid}`) && age < LONGEST) continue;
    await rm(path, { recursive: true, force: true });
  }
}
