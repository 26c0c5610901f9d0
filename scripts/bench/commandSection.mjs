import { execFileSync, spawnSync } from 'node:child_process';
import { rmSync } from 'node:fs';
import { resolve } from 'node:path';
import { runBundled } from './bundled.mjs';

const FOLDER = resolve('.local/bench/commands');
/** Seconds after which a command is ended. */
const MOST = 1800;

/**
 * Times whole commands: the disk is taken down, the route carried out, and everything proved.
 *
 * @param {string} root of the program that is timed
 * @param {string[]} more arguments
 * @param {string} name of the disk @returns {{ all: number, work: number } | null} seconds, and those of carrying out
 *   alone; null: it did not end
 */
export function timeCommand(root, name, more = []) {
  const [image, journal] = [`${FOLDER}/work.img`, `${FOLDER}/work.journal`];
  const clear = () => {
    for (const rest of ['', '.before.json', '.steps.json', '.left.json'])
      rmSync(journal + rest, { force: true });
  };
  clear();
  execFileSync('cp', ['--sparse=always', `${FOLDER}/${name}.img`, image]);
  execFileSync('sync');
  const args = ['--image', image, '--route', `${FOLDER}/${name}.json`, '--journal', journal, '--in-place'];
  const began = performance.now();
  // What it says comes with times, so that the parts can be told.
  const script = `node scripts/carryOut.mjs "$@" 2>&1 | while read -r line; do echo "$(date +%s.%N) $line"; done`;
  const { stdout, signal } = spawnSync('bash', ['-c', script, 'bench', ...args, ...more], {
    cwd: root,
    encoding: 'utf8',
    timeout: MOST * 1000,
    maxBuffer: 2 ** 26,
  });
  const all = (performance.now() - began) / 1000;
  clear();
  rmSync(image, { force: true });
  if (signal || !stdout.includes('nothing was lost')) return null;
  const lines = stdout.split('\n');
  const time = (/** @type {string | undefined} */ line) => Number(line?.split(' ')[0] ?? NaN);
  const work =
    time(lines.find((line) => line.includes('taking stock after'))) -
    time(lines.findLast((line) => line.includes('taking stock before')));
  return { all, work };
}

/** The part of docs/benchmarks.md about whole commands. */
export async function commandSection() {
  const { value: jobs } = await runBundled('scripts/bench/command.ts', 'prepared');
  const s = (/** @type {number | undefined} */ value) =>
    value === undefined || Number.isNaN(value) ? '–' : `${value.toFixed(1)} s`;
  const rows = jobs.map((/** @type {{ name: string, what: string }} */ { name, what }) => {
    const quick = timeCommand('.', name);
    const whole = timeCommand('.', name, ['--whole']);
    return `| ${what} | ${s(quick?.work)} | ${s(quick?.all)} | ${s(whole?.all)} |`;
  });
  return `## A whole command

\`npm run carry-out\` from its start to its proof, on a raw image in place, measured once each by \`npm run bench -- command\`. Carrying out is the time between the two readings of the disk. The aim is
that both readings together take at most twice as long as that.

| what | carrying out | all of it, what is moved read | all of it, everything in use read |
| --- | --- | --- | --- |
${rows.join('\n')}

Before journals knew their disks (2f491d8, on the same machine, beside other work) the first took 31.3 s in all, the second 77.8 s; the third was not done after ten minutes, the last one not after four, when they were ended.`;
}
