// Measures what the product promises and writes docs/benchmarks.md: `npm run bench`; with `-- bytes` only the part
// about the bench on real bytes, with `-- command` the one about whole commands, with `-- people` the one about fifty
// people at once, with `-- holdings` the one about what fills a volume; with `-- ablation` it tells instead what each
// bound of the search saves.
import { chromium } from '@playwright/test';
import { execFileSync } from 'node:child_process';
import { cpus } from 'node:os';
import { readFileSync, rmSync, writeFileSync } from 'node:fs';
import { browserOptions } from './browser.mjs';
import { buildIfChanged } from './build.mjs';
import { loadTs } from './loadTs.mjs';
import { startDatabase } from './privateDatabase.mjs';
import { serve } from './server.mjs';
import { tryPort } from './ports.mjs';
import { ablation } from './bench/ablation.mjs';
import { runBundled } from './bench/bundled.mjs';
import { bytesSection } from './bench/bytesSection.mjs';
import { commandSection } from './bench/commandSection.mjs';
import { holdingsSection } from './bench/holdingsSection.mjs';
import { blockingTimings, loadTimings, sessionsFor } from './bench/load.mjs';
import { workTimings } from './bench/work.mjs';

if (process.argv[2] === 'ablation') {
  await ablation();
  process.exit(0);
}

const BYTES = /<!-- bytes -->[\s\S]*<!-- end -->/;
const marked = (/** @type {string} */ section) => `<!-- bytes -->\n\n${section}\n\n<!-- end -->`;
const PEOPLE = /<!-- people -->[\s\S]*<!-- end people -->/;
const markedPeople = (/** @type {string} */ section) =>
  `<!-- people -->\n\n${section}\n\n<!-- end people -->`;
if (process.argv[2] === 'people') {
  rmSync('.local/bench-database', { recursive: true, force: true });
  const section = peopleSection(await peopleTimings());
  writeFileSync(
    'docs/benchmarks.md',
    readFileSync('docs/benchmarks.md', 'utf8').replace(PEOPLE, markedPeople(section)),
  );
  format();
  process.exit(0);
}
const HOLDINGS = /<!-- holdings -->[\s\S]*<!-- end holdings -->/;
const markedHoldings = (/** @type {string} */ section) =>
  `<!-- holdings -->\n\n${section}\n\n<!-- end holdings -->`;
if (process.argv[2] === 'holdings') {
  rmSync('.local/bench-database', { recursive: true, force: true });
  const before = readFileSync('docs/benchmarks.md', 'utf8');
  const section = markedHoldings(await holdingsSection(surveyedInBrowser));
  writeFileSync('docs/benchmarks.md', before.replace(HOLDINGS, section));
  format();
  process.exit(0);
}
const COMMAND = /<!-- command -->[\s\S]*<!-- end command -->/;
const markedCommand = (/** @type {string} */ section) =>
  `<!-- command -->\n\n${section}\n\n<!-- end command -->`;
if (process.argv[2] === 'command') {
  const before = readFileSync('docs/benchmarks.md', 'utf8');
  writeFileSync('docs/benchmarks.md', before.replace(COMMAND, markedCommand(await commandSection())));
  format();
  process.exit(0);
}
if (process.argv[2] === 'bytes') {
  const before = readFileSync('docs/benchmarks.md', 'utf8');
  writeFileSync('docs/benchmarks.md', before.replace(BYTES, marked(await bytesSection())));
  format();
  process.exit(0);
}

const IMAGE_RUNS = 7;
const DRAG_FRAMES = 200;

// Every run begins with a database that nobody has used.
rmSync('.local/bench-database', { recursive: true, force: true });
const planner = await runBundled('scripts/bench/planner.ts', 'plannerTimings');
const image = await imageTimings();
const drag = await dragTimings();
const people = await peopleTimings();
const { work } = people;
const blocking = await inBrowser((_, address) => blockingTimings(address));
const bytes = await bytesSection();
const command = await commandSection();
const holdings = await holdingsSection(surveyedInBrowser);
const date = new Date().toISOString().slice(0, 10);

/** @param {import('./bench/planner').Timing} timing */
const row = (timing) =>
  `| ${timing.name} | ${ms(timing.median)} ms | ${ms(timing.p95)} ms | ${timing.runs} | ${timing.stopped} | ${timing.aim === null ? '–' : `${timing.aim} ms`} |`;
writeFileSync(
  'docs/benchmarks.md',
  `# Benchmarks

Measured by \`npm run bench\` on ${date}: ${cpus().length} cores (${cpus()[0]?.model.trim()}), Node.js ${process.version}. One core at work.

## Planning (in Node.js, made-up disks of \`scripts/bench/disks.ts\`)

| what | median | 95th percentile | disks | stopped early | aim |
| --- | --- | --- | --- | --- | --- |
${planner.value.map(row).join('\n')}

All three kits at once, each disk once. Packed disks have no room but small gaps and what donors give; the others have 30,000 MiB
free behind the last partition. A search that finds no end stops at 1,100 skeletons a kit (300 on more than 12 partitions), or after 2 seconds in all, and says
so. Run from the bundle that ships, in a process of its own, which took at most ${planner.peak} MiB (aim: 200 MiB).

## Reading a disk image in the browser

A sparse raw image of 1 TiB with an EFI, a reserved and four NTFS volumes (200 GiB, 900 MiB, 298 GiB, 500 GiB), made by
\`scripts/test/image.ts\`, chosen on the Survey screen in headless Chromium. From choosing the file until the survey
stands on the screen: reading in the worker, saving, and drawing. The aim is 2 seconds.

| what | median | slowest | runs |
| --- | --- | --- | --- |
| 1 TiB image to survey on the screen | ${ms(image.median)} ms | ${ms(image.slowest)} ms | ${IMAGE_RUNS} |

${markedHoldings(holdings)}

## Dragging on the drawing board

The right end of C: dragged on the first strip of a disk with 128 partitions and 12 steps, in headless Chromium at 1280x800:
scripting, style and layout of each frame as Chromium counts them, measuring itself included. All steps are computed again with every frame, and the strips in sight are drawn again.

| what | median | 95th percentile | frames | aim |
| --- | --- | --- | --- | --- |
| a frame while dragging | ${ms(drag.median)} ms | ${ms(drag.p95)} ms | ${DRAG_FRAMES} | 16.7 ms |

## Paper, files and five thousand jobs

The clinic's job (5 partitions) with a work sheet, over HTTP on the built application; then 5,000 copies of it with survey, goal
and routes, every tenth with its sheet, in MariaDB: lists of 25. The manifests (a million files each, some 100 MB) are read
and compared in headless Chromium's worker, from the click until the outcome is saved and shown.

| what | median | 95th percentile | runs |
| --- | --- | --- | --- |
${[...work.paper, ...work.lists, work.files].map((one) => `| ${one.name} | ${ms(one.median)} ms | ${ms(one.p95)} ms | ${one.runs} |`).join('\n')}

${markedPeople(peopleSection(people))}

## The worst bodies

What \`hostile/worst.ts\` makes of each example of the API: every list, text and object in it grown until the body has nearly 4 MiB. The longest
that a request which needs nothing took meanwhile. The aim is 100 ms.

| operation | longest |
| --- | --- |
${blocking.map((one) => `| ${one.name} | ${ms(one.ms)} ms |`).join('\n')}

${marked(bytes)}

${markedCommand(command)}
`,
);
format();
process.exit(0);

function format() {
  execFileSync('npx', ['--no-install', 'prettier', '--write', '--log-level', 'warn', 'docs/benchmarks.md']);
  console.log('Written to docs/benchmarks.md');
}

/** @param {number} ms */
function ms(ms) {
  return ms < 10 ? ms.toFixed(2) : ms.toFixed(0);
}

/** Fifty people on five thousand jobs: on one's own computer, then over HTTPS with everybody signed in. */
async function peopleTimings() {
  const { clinic } = await loadTs('src/lib/core/test/clinic.ts');
  return inBrowser(async (page, address, url, begin) => {
    const work = await workTimings(page, address, url, clinic());
    const load = await loadTimings(address);
    const shop = await begin({ host: '0.0.0.0', env: { GENTLE_TIDE_DATA: '.local/bench-data' } });
    try {
      const cookies = await sessionsFor(url);
      // The other server has been at work for minutes.
      await loadTimings(shop.address, cookies, 8);
      return { work, load, signedIn: await loadTimings(shop.address, cookies) };
    } finally {
      await shop.stop();
    }
  });
}

/** @param {{ load: Load, signedIn: Load }} timings */
function peopleSection({ load, signedIn }) {
  const table = (/** @type {Load} */ { rows }) =>
    [
      '| what | median | 95th percentile | requests |',
      '| --- | --- | --- | --- |',
      ...rows.map((one) => `| ${one.name} | ${ms(one.median)} ms | ${ms(one.p95)} ms | ${one.runs} |`),
    ].join('\n');
  return `## Fifty people at once

\`npm run bench -- people\` on ${new Date().toISOString().slice(0, 10)}. Fifty clients on these jobs for twenty seconds, each with a pause of 0.3 to 0.7 seconds between two requests; five of a hundred requests
plan. ${load.busy} were told to try again later. Aims: 100 ms for the lists, 3 seconds for planning (95th percentile).

${table(load)}

The same over HTTPS with fifty people signed in, each by a session that every request looks up in the database; ${signedIn.busy} were told to try again later.

${table(signedIn)}`;
}

/** @typedef {Awaited<ReturnType<typeof loadTimings>>} Load */
/** @typedef {{ host?: string, env?: NodeJS.ProcessEnv }} Begin */

/**
 * Runs `work` on the built application with a database of its own.
 * @template T
 * @param {(page: import('@playwright/test').Page, address: string, databaseUrl: string, begin: (more?: Begin) => ReturnType<typeof serve>) => Promise<T>} work
 */
async function inBrowser(work) {
  await buildIfChanged();
  const database = await startDatabase('.local/bench-database', ['bench']);
  /** @param {Begin} more */
  const begin = async (more = {}) =>
    serve({
      port: (await tryPort(0, '127.0.0.1')) ?? 0,
      host: '127.0.0.1',
      databaseUrl: database.url('bench'),
      migrationUrl: database.keeperUrl('bench'),
      demo: false,
      ...more,
    });
  const server = await begin();
  const browser = await chromium.launch(browserOptions);
  try {
    const page = await browser.newPage({ viewport: { width: 1280, height: 800 } });
    return await work(page, server.address, database.keeperUrl('bench'), begin);
  } finally {
    await browser.close();
    await server.stop();
    await database.stop();
  }
}

/** @param {import('@playwright/test').Page} page @param {string} address */
async function addJob(page, address) {
  const reply = await page.request.post(`${address}/api/v1/jobs`, {
    data: { customer: 'Saltmarsh', machine: 'bench' },
  });
  return /** @type {number} */ ((await reply.json()).number);
}

async function imageTimings() {
  const { makeImage, LARGE_VOLUMES } = await loadTs('scripts/test/image.ts');
  const made = makeImage(LARGE_VOLUMES, { gap: 1024 });
  try {
    return await inBrowser(async (page, address) => {
      const times = [];
      for (let i = 0; i <= IMAGE_RUNS; i++) {
        const number = await addJob(page, address);
        await page.goto(`${address}/jobs/${number}/survey`, { waitUntil: 'networkidle' });
        const began = performance.now();
        await page.getByTestId('survey-file').setInputFiles(made.path);
        await page.getByRole('heading', { name: 'What is on the disk' }).waitFor();
        if (i > 0) times.push(performance.now() - began); // the first run warms up
      }
      times.sort((a, b) => a - b);
      return { median: times[Math.floor(times.length / 2)] ?? 0, slowest: times.at(-1) ?? 0 };
    });
  } finally {
    made.remove();
  }
}

/**
 * Milliseconds from choosing an image on the Survey screen until its survey stands there; a first run warms up.
 * @param {string} image
 */
async function surveyedInBrowser(image, runs = 1) {
  return inBrowser(async (page, address) => {
    let took = 0;
    for (let i = 0; i <= runs; i++) {
      const number = await addJob(page, address);
      await page.goto(`${address}/jobs/${number}/survey`, { waitUntil: 'networkidle' });
      const began = performance.now();
      await page.getByTestId('survey-file').setInputFiles(image);
      await page.getByRole('heading', { name: 'What is on the disk' }).waitFor();
      took = performance.now() - began;
    }
    return took;
  });
}

/** Milliseconds of scripting, style and layout a frame while an end is dragged on the drawing board. */
async function dragTimings() {
  const { benchDrawing } = await loadTs('scripts/bench/disks.ts');
  const { survey, goal, drawing } = benchDrawing(128);
  return inBrowser(async (page, address) => {
    const job = await addJob(page, address);
    const path = `${address}/api/v1/jobs/${job}`;
    await page.request.put(`${path}/survey`, { data: { version: 1, source: 'document', survey } });
    await page.request.put(`${path}/goal`, {
      data: { version: 2, size: goal, options: { kits: ['offline-mover'] } },
    });
    const made = await page.request.post(`${path}/drawings`, {
      data: { name: 'bench', states: [drawing], position: 0 },
    });
    const { id } = await made.json();
    await page.goto(`${address}/jobs/${job}/drawing/${id}`, { waitUntil: 'networkidle' });
    const cdp = await page.context().newCDPSession(page);
    await cdp.send('Performance.enable');
    const spent = async () => {
      const { metrics } = await cdp.send('Performance.getMetrics');
      const of = (/** @type {string} */ name) => metrics.find((one) => one.name === name)?.value ?? 0;
      return (of('ScriptDuration') + of('LayoutDuration') + of('RecalcStyleDuration')) * 1000;
    };
    const box = await page.locator('[data-spot="0-p2"] rect').first().boundingBox();
    if (!box) throw new Error('the board shows no C:');
    const [x, y] = [box.x + box.width - 2, box.y + box.height / 2];
    await page.mouse.move(x, y);
    await page.mouse.down();
    const times = [];
    for (let i = 0; i < DRAG_FRAMES + 20; i++) {
      const before = await spent();
      // To and fro over the whole of what the end can reach.
      await page.mouse.move(x - 3 - (box.width / 3) * Math.abs(Math.sin(i / 15)), y);
      await page.evaluate(
        () => new Promise((done) => requestAnimationFrame(() => requestAnimationFrame(done))),
      );
      if (i >= 20) times.push((await spent()) - before); // the first ones warm up
    }
    await page.mouse.up();
    // The step is there only if something was dragged.
    const steps = page.getByRole('region', { name: /^Steps/ }).getByRole('listitem');
    await steps.nth(drawing.steps.length).waitFor();
    times.sort((a, b) => a - b);
    return {
      median: times[Math.floor(times.length / 2)] ?? 0,
      p95: times[Math.floor(times.length * 0.95)] ?? 0,
    };
  });
}
