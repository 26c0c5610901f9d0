// Carries a route out on a disk's file: npm run carry-out -- --image disk.vhd --route route.json --journal file
//   [--resume | --step-back] [--in-place] [--proof out.json]
// or the common case, Windows with all of the new room: npm run carry-out -- --image disk.qcow2 --enlarge-to 120G [--in-place] [--yes]
// The route is the contract's. Without --in-place it works on a copy beside the image. Ctrl-C stops it where it is; --resume goes on.
import { execFileSync } from 'node:child_process';
import { existsSync, readFileSync, writeFileSync } from 'node:fs';
import { parse } from 'node:path';
import { createInterface } from 'node:readline/promises';
import { parseArgs } from 'node:util';
import { bundled } from './bundle.mjs';

const USAGE = `npm run carry-out -- --image disk.vhd --route route.json --journal file [--resume | --step-back] [--in-place] [--proof out.json]
npm run carry-out -- --image disk.qcow2 --enlarge-to 120G [--in-place] [--yes]`;
const MOST_ROUTE = 4 * 2 ** 20;

/** @param {string} sentence @returns {never} */
function refuse(sentence) {
  console.error(sentence);
  process.exit(2);
}

/** @returns {import('node:util').ParsedResults['values']} */
function asked() {
  try {
    return parseArgs({
      options: {
        image: { type: 'string' },
        route: { type: 'string' },
        journal: { type: 'string' },
        proof: { type: 'string' },
        resume: { type: 'boolean' },
        'step-back': { type: 'boolean' },
        'in-place': { type: 'boolean' },
        'enlarge-to': { type: 'string' },
        yes: { type: 'boolean' },
      },
    }).values;
  } catch (error) {
    return refuse(`${error instanceof Error ? error.message : error}\n${USAGE}`);
  }
}

const values = asked();
const { image, route: routePath, proof: proofPath } = /** @type {Record<string, string>} */ (values);
const enlargeTo = /** @type {string | undefined} */ (values['enlarge-to']);
if (!image) refuse(`An image is needed.\n${USAGE}`);
if (values.resume && values['step-back']) refuse('It either goes on or takes the step back, not both.');
if (routePath && enlargeTo) refuse('Either a route is given, or a size to enlarge to, not both.');
const how = values.resume ? 'resume' : values['step-back'] ? 'back' : 'begin';
const { dir, name, ext } = parse(image);
const copy = `${dir || '.'}/${name}.carried-out${ext}`;
const disk = values['in-place'] ? image : copy;
const journal = /** @type {string | undefined} */ (values.journal) ?? (routePath ? '' : `${disk}.journal`);
if (!journal) refuse(`An image, a route and a journal are needed.\n${USAGE}`);
for (const path of [image, routePath]) if (path && !existsSync(path)) refuse(`There is no file ${path}.`);

const { carryOut, faultOf, filesOf, formatSize, lockImage, parseSize, planEnlarging, RouteShape, textChart } =
  await import(await bundled('src/lib/server/bench/command.ts', 'carry-out'));
const stepsPath = `${journal}.steps.json`;

/** @param {string} path @returns {any} */
function jsonIn(path) {
  const text = readFileSync(path, 'utf8');
  if (text.length > MOST_ROUTE) refuse('The route is longer than any: its file has more than 4 MiB.');
  try {
    return JSON.parse(text);
  } catch {
    return refuse(`${path} is no JSON.`);
  }
}

/** The steps of a route that was given. @returns {any[]} */
function stepsOfRoute() {
  const route = jsonIn(routePath);
  const fault = faultOf(RouteShape, route);
  if (fault) refuse(`${routePath} is no route: ${fault.path || 'the whole'}: ${fault.message}`);
  return route.steps;
}

/** The steps that make Windows larger, shown first, and begun only after a yes. @param {string} size @returns {Promise<any[]>} */
async function stepsToEnlarge(size) {
  const reading = parseSize(size);
  const bytes = reading.ok && reading.entry.kind === 'total' ? reading.entry.bytes : null;
  if (bytes === null) refuse(`“${size}” is no size. Write it like 120G or 120 GiB.`);
  const plan = await planEnlarging(image, bytes);
  if (!plan.ok) refuse(plan.problems.map((/** @type {any} */ one) => one.message).join('\n'));
  const { steps, from, to } = plan.value;
  for (const line of textChart(plan.value.disk, steps) ?? []) console.log(line);
  console.log(`\nWindows: ${formatSize(from)} now, ${formatSize(to)} afterwards. On ${disk}.`);
  if (values.yes) return steps;
  const lines = createInterface({ input: process.stdin, output: process.stdout });
  const answer = await lines.question('Carry this out? Type yes: ');
  lines.close();
  if (answer.trim().toLowerCase() !== 'yes') refuse('Nothing was done.');
  return steps;
}

/** @returns {Promise<any[]>} */
async function stepsToCarryOut() {
  if (routePath) return stepsOfRoute();
  if (how !== 'begin')
    return existsSync(stepsPath)
      ? jsonIn(stepsPath)
      : refuse(`There is no journal at ${journal}, so there is nothing to go on with.`);
  return enlargeTo
    ? stepsToEnlarge(enlargeTo)
    : refuse(`A route is needed, or a size to enlarge to.\n${USAGE}`);
}

if (how === 'begin' && existsSync(journal))
  refuse(`There is a journal already (${journal}): a run was begun. Resume it, or step back.`);
const steps = await stepsToCarryOut();
if (!values['in-place'] && how === 'begin') {
  // A copy of the description alone would lead to the bytes of the original.
  if ((await filesOf(image)).length > 1)
    refuse('This image is made of two files. Copy both yourself, and work on the copy with --in-place.');
  if (existsSync(copy)) refuse(`There is a copy already (${copy}). Resume its run, or move it away.`);
  execFileSync('cp', ['--sparse=always', image, copy]);
}
if (!existsSync(disk)) refuse(`There is no file ${disk}.`);
const lock = await lockImage(disk);
if (!lock.ok) refuse(lock.problems[0].message);
if (how === 'begin') writeFileSync(stepsPath, JSON.stringify(steps));

let stop = false;
process.on('SIGINT', () => (stop = true));
class Stopped extends Error {}
let told = 0;
/** @param {any} now */
async function progress(now) {
  if (stop) throw new Stopped();
  if (Date.now() - told < 250) return;
  told = Date.now();
  const line =
    now.phase === 'carrying out'
      ? `step ${now.step + 1} of ${steps.length}${now.backing ? ', taken back' : ''}: ${formatSize(now.arrived)} of ${formatSize(now.toArrive)}`
      : `${now.phase}: ${formatSize(now.bytes)}`;
  process.stderr.write(process.stderr.isTTY ? `\r\x1b[K${line}` : `${line}\n`);
}

try {
  const outcome = await carryOut({
    image: disk,
    journal,
    steps,
    how,
    afterCut: how !== 'begin',
    fingerprintAbove: null,
    progress,
  });
  if (process.stderr.isTTY) process.stderr.write('\n');
  if (!outcome.ok) refuse(outcome.problems.map((/** @type {any} */ one) => one.message).join('\n'));
  const proof = outcome.value;
  if (!proof) console.log(`The step was taken back. ${disk} is as before it; --resume goes on from there.`);
  else {
    if (proofPath) writeFileSync(proofPath, `${JSON.stringify(proof, null, 2)}\n`);
    console.log(
      `${disk}: ${proof.verdict === 'proved' ? 'carried out, and nothing was lost' : 'NOT as it should be'}.`,
    );
    for (const difference of proof.differences) console.log(`  ${difference}`);
    process.exitCode = proof.verdict === 'proved' ? 0 : 1;
  }
} catch (error) {
  if (!(error instanceof Stopped)) {
    if (error instanceof Error && error.name === 'DeviceFailure')
      refuse(`${error.message} The run stands where it was; --resume goes on.`);
    throw error;
  }
  console.error('\nStopped where it was. --resume goes on, --step-back takes the step back.');
  process.exitCode = 130;
} finally {
  lock.value.release();
}
