import { spawn } from 'node:child_process';
import { setPriority } from 'node:os';
import { createInterface } from 'node:readline';

/** Priority of what may wait: the browser and the servers that it talks to come before it. */
const LATER = 5;

/**
 * Runs a command of this project's packages; each of its lines is printed as it comes, behind the name of what runs.
 *
 * @param {string} name
 * @param {string[]} command
 * @param {{ env?: NodeJS.ProcessEnv, mayWait?: boolean }} [options] `mayWait`: others use the processor first
 * @returns {Promise<boolean>} whether it ended well
 */
export async function run(name, command, { env = {}, mayWait = false } = {}) {
  const began = Date.now();
  console.log(`== ${name}`);
  const child = spawn('npx', ['--no-install', ...command], {
    stdio: ['ignore', 'pipe', 'pipe'],
    env: { ...process.env, ...env },
  });
  if (mayWait && child.pid) setPriority(child.pid, LATER);
  for (const input of [child.stdout, child.stderr])
    createInterface({ input }).on('line', (line) => line && console.log(`[${name}] ${line}`));
  const status = await new Promise((resolve, reject) => {
    child.on('error', reject);
    child.on('close', resolve);
  });
  const seconds = ((Date.now() - began) / 1000).toFixed(1);
  console.log(`== ${name}: ${status === 0 ? 'good' : 'FAILED'} (${seconds} s)`);
  return status === 0;
}
