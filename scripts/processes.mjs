import { readFileSync } from 'node:fs';

/** @param {number} ms */
export const wait = (ms) => new Promise((resolve) => setTimeout(resolve, ms));

/** Whether a process runs whose command line holds `mark`; a number used again by another does not count.
 * @param {number} pid
 * @param {string} mark
 */
export function runs(pid, mark) {
  try {
    return readFileSync(`/proc/${pid}/cmdline`, 'utf8').split('\0').join(' ').includes(mark);
  } catch {
    return false;
  }
}

/** Asks a process to end and waits for it; ends it by force after `patience` ms.
 * @param {number} pid
 * @param {string} mark
 */
export async function end(pid, mark, patience = 30_000) {
  if (!runs(pid, mark)) return;
  process.kill(pid, 'SIGTERM');
  for (const until = Date.now() + patience; Date.now() < until;) {
    if (!runs(pid, mark)) return;
    await wait(50);
  }
  if (runs(pid, mark)) process.kill(pid, 'SIGKILL');
}
