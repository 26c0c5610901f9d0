// Kills carry-out at random moments of real runs on real files, then resumes it or takes the step back, until it was
// killed so many times: `npm run kills`, or `npm run kills -- 20` for fewer. The outcome goes into docs/executor.md.
import { execFileSync, spawn } from 'node:child_process';
import { mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { bundled } from './bundle.mjs';
import { loadTs } from './loadTs.mjs';
import { countAsked, writeOutcome } from './outcome.mjs';

const WANTED = countAsked(process.argv[2], 200);
/** Milliseconds after the first byte written until which it is killed. */
const LATEST = 500;
const FORMATS = ['qcow2', 'vhdx', 'vpc', 'vmdk', 'raw'];
const { layKillable, seenAfter, KILL_ROUTES } = await loadTs('src/lib/core/executor/test/killable.ts');
const COMMAND = await bundled('src/lib/server/executor/command.ts', 'carry-out');
const folder = mkdtempSync(join(tmpdir(), 'gentle-tide-kills-'));
const CHILD = `import { executeRoute } from ${JSON.stringify(COMMAND)};
  const [image, journal, stepsPath, how, proof] = process.argv.slice(1);
  let told = '';
  const { readFileSync, writeFileSync } = await import('node:fs');
  const steps = JSON.parse(readFileSync(stepsPath, 'utf8'));
  const outcome = await executeRoute({ image, journal, steps, how, extent: 'whole', afterCut: how !== 'begin', fingerprintAbove: null, progress: async (now) => { if (now.phase === 'carrying out' && !told) process.stdout.write((told = 'writing') + '\\n'); } });
  if (!outcome.ok) { console.error(outcome.problems[0].message); process.exit(3); }
  if (outcome.value.proof) writeFileSync(proof, JSON.stringify(outcome.value.proof));`;

/**
 * One start of the program, killed so many milliseconds after it has begun to write; null: left to end.
 * @param {string[]} args @param {number | null} after @returns {Promise<'killed' | 'ended'>}
 */
const start = (args, after) =>
  new Promise((resolveWith, reject) => {
    const child = spawn(process.execPath, ['--input-type=module', '-e', CHILD, ...args], {
      stdio: ['ignore', 'pipe', 'pipe'],
    });
    let said = '';
    child.stderr.on('data', (part) => (said += part));
    /** @type {NodeJS.Timeout | undefined} */
    let timer;
    child.stdout.once('data', () => {
      if (after !== null) timer = setTimeout(() => child.kill('SIGKILL'), after);
    });
    child.on('close', (code, signal) => {
      clearTimeout(timer);
      if (signal === 'SIGKILL') resolveWith('killed');
      else if (code === 0) resolveWith('ended');
      else reject(new Error(said));
    });
  });

let kills = 0;
let runs = 0;
let backs = 0;
/** @type {string[]} */
const failures = [];
const began = Date.now();
let seed = 1;
const random = () => ((seed = (seed * 48271) % 2147483647) - 1) / 2147483646;
while (kills < WANTED) {
  const route = KILL_ROUTES[runs % KILL_ROUTES.length];
  const format = FORMATS[runs % FORMATS.length];
  runs++;
  const [raw, image, journal, stepsPath, proof] = [
    'laid.img',
    `disk.${format}`,
    'journal',
    'steps.json',
    'proof.json',
  ].map((name) => join(folder, name));
  const { steps, before } = await layKillable(route, raw);
  execFileSync('qemu-img', [
    'convert',
    '-f',
    'raw',
    '-O',
    format,
    ...(format === 'vpc' ? ['-o', 'force_size'] : []),
    raw,
    image,
  ]);
  writeFileSync(stepsPath, JSON.stringify(steps));
  let how = 'begin';
  for (;;) {
    const begun = () => {
      try {
        readFileSync(journal);
        return true;
      } catch {
        return false;
      }
    };
    const outcome = await start(
      [image, journal, stepsPath, how, proof],
      kills < WANTED ? random() * LATEST : null,
    );
    if (outcome === 'ended' && how !== 'back') break;
    if (outcome === 'killed') kills++;
    // Before the journal is there, nothing was written: it begins anew.
    how = !begun() ? 'begin' : random() < 0.25 ? 'back' : 'resume';
    if (how === 'back') backs++;
  }
  const { verdict, differences } = JSON.parse(readFileSync(proof, 'utf8'));
  if (verdict !== 'proved') failures.push(`${route.name}, ${format}: ${differences.join(' ')}`);
  execFileSync('qemu-img', ['convert', '-f', format, '-O', 'raw', image, raw]);
  const wrong = await seenAfter(route, raw, before);
  if (wrong) failures.push(`${route.name}, ${format}: ${wrong}`);
  rmSync(folder, { recursive: true });
  execFileSync('mkdir', ['-p', folder]);
  console.log(
    `${kills} of ${WANTED} kills, ${runs} runs, ${failures.length} failures (${route.name}, ${format})`,
  );
}
for (const failure of failures) console.log(failure);
const minutes = ((Date.now() - began) / 60_000).toFixed(1);
const outcome = `\`npm run kills -- ${WANTED}\` on ${new Date().toISOString().slice(0, 10)}, ${minutes} minutes: ${runs} runs on ${FORMATS.join(', ')} images, killed ${kills} times in all, the step
taken back ${backs} times; ${failures.length === 0 ? 'each run ended with a proof, and other programs found every file as it was' : `${failures.length} did not end as they should`}.`;
writeOutcome('docs/executor.md', 'kills', outcome);
console.log(outcome);
rmSync(folder, { recursive: true, force: true });
process.exit(failures.length === 0 ? 0 : 1);
