import { readFileSync } from 'node:fs';

/** @param {number} ms */
export const wait = (ms) => new Promise((resolve) => setTimeout(resolve, ms));

/**
 * Waits until something answers: three minutes, since a busy machine takes long, and says now and then what it waits
 * for.
 * @template T
 * @param {string} what "the server"
 * @param {() => Promise<T>} look what it answers; null and false: nothing yet. It throws where nothing will come any
 *   more
 * @param {number} pause milliseconds between two looks
 * @returns {Promise<NonNullable<T>>}
 */
export async function waitFor(what, look, pause) {
  const began = Date.now();
  for (let said = began; ; await wait(pause)) {
    const answer = await look();
    if (answer) return answer;
    const now = Date.now();
    if (now - began > PATIENCE) throw new Error(`${what} did not answer within ${PATIENCE / 60_000} minutes`);
    if (now - said < SAY_AGAIN) continue;
    said = now;
    console.error(`Waiting for ${what} since ${Math.round((now - began) / 1000)} s …`);
  }
}
const PATIENCE = 180_000;
const SAY_AGAIN = 10_000;

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
