// Takes the current pictures of the main views from the demo data into docs/screenshots/: `npm run screenshots`.
import { chromium } from '@playwright/test';
import { execFileSync } from 'node:child_process';
import { mkdirSync, rmSync } from 'node:fs';
import { join, resolve } from 'node:path';
import { browserOptions } from './browser.mjs';
import { buildIfChanged } from './build.mjs';
import { loadTs } from './loadTs.mjs';
import { startDatabase } from './privateDatabase.mjs';
import { serve } from './server.mjs';
import { tryPort } from './ports.mjs';

const FOLDER = 'docs/screenshots';
/** What a tablet says that it is. */
const TABLET =
  'Mozilla/5.0 (Linux; Android 14; Tablet) AppleWebKit/537.36 (KHTML, like Gecko) Chrome/140.0.0.0 Safari/537.36';
/** The image on the server that is worked on. */
const IMAGE = 'ticket-office.vhdx';

/**
 * Begins a drawing, takes hold of the right end of D: and drags it.
 * @param {import('@playwright/test').Page} page
 */
async function dragArchive(page, by = -120) {
  await page.locator('html[data-live]').waitFor({ state: 'attached' });
  await page.getByRole('button', { name: 'Draw from nothing' }).click();
  await page.getByRole('group', { name: /Drawing board/ }).waitFor();
  const box = await page.locator('[data-spot="0-p5"] rect').first().boundingBox();
  if (!box) throw new Error('the board does not show D:');
  const [x, y] = [box.x + box.width - 2, box.y + box.height / 2];
  await page.mouse.move(x, y);
  await page.mouse.down();
  await page.mouse.move(x + by, y, { steps: 5 });
}

/**
 * Rehearses the virtual machine's route and cuts the power while recovery moves.
 * @param {import('@playwright/test').Page} page
 */
async function cutRehearsal(page) {
  const job = new URL('/api/v1/jobs/2613', page.url()).href;
  const { version } = await (await page.request.get(job)).json();
  await page.request.put(`${job}/goal`, {
    data: { version, size: 140 * 2 ** 30, options: { kits: ['offline-mover'] } },
  });
  const begun = await (await page.request.post(`${job}/rehearsals`, { data: { pace: 'drive' } })).json();
  const path = `${job}/rehearsals/${begun.id}`;
  for (;;) {
    const { progress } = await (await page.request.get(path)).json();
    if (progress.step === 1 && progress.arrived > 200e6) break;
    await page.waitForTimeout(150);
  }
  await page.request.put(path, { data: { wish: 'cut' } });
  await page.goto(new URL('/jobs/2613/rehearsal', page.url()).href, { waitUntil: 'load' });
  await page.getByText('The power is gone').waitFor();
}

/**
 * Surveys an image on the server, carries the route out on it, and cuts the power while recovery moves.
 * @param {import('@playwright/test').Page} page
 */
async function onImage(page) {
  const api = new URL('/api/v1/jobs', page.url()).href;
  const names = { customer: 'Harbour Ferry Office', machine: 'ticket office, virtual' };
  const { number, version } = await (await page.request.post(api, { data: names })).json();
  const job = `${api}/${number}`;
  await page.request.post(`${job}/survey-image`, { data: { version, image: IMAGE } });
  const options = { kits: ['offline-mover'], mayEnlargeDisk: true };
  const goal = { version: version + 1, size: 260 * 2 ** 20, keepFreePercent: 0, options };
  await page.request.put(`${job}/goal`, { data: goal });
  const start = { pace: 'drive', place: 'image', typed: IMAGE };
  const begun = await (await page.request.post(`${job}/rehearsals`, { data: start })).json();
  const path = `${job}/rehearsals/${begun.id}`;
  for (;;) {
    const { progress } = await (await page.request.get(path)).json();
    if (progress.step === 2 && progress.arrived > 60e6) break;
    await page.waitForTimeout(100);
  }
  await page.request.put(path, { data: { wish: 'cut' } });
  await page.goto(new URL(`/jobs/${number}/rehearsal`, page.url()).href, { waitUntil: 'load' });
  await page.getByText('The power is gone').waitFor();
}

/**
 * @type {{ name: string, path: string, dark?: boolean, height?: number, prepare?: (page: import('@playwright/test').Page) => Promise<unknown> }[]}
 */
const VIEWS = [
  { name: 'jobs', path: '/', height: 870 },
  { name: 'survey', path: '/jobs/2614/survey' },
  {
    name: 'survey-by-hand',
    path: '/jobs/2614/survey/by-hand',
    prepare: (page) => page.getByText('The present survey').click(),
  },
  {
    name: 'holdings',
    path: '/jobs/2609/survey/holdings',
    prepare: async (page) => {
      await page.getByLabel('An earlier Windows installation').check();
      await page.getByText('nothing has to move').waitFor();
    },
  },
  { name: 'diagnosis', path: '/jobs/2614/diagnosis', height: 1080 },
  { name: 'larger-disk', path: '/jobs/2610/diagnosis/larger-disk', height: 1420 },
  {
    name: 'target',
    path: '/jobs/2614/target',
    height: 1560,
    prepare: (page) =>
      page
        .getByText(/^Up to/)
        .first()
        .waitFor({ timeout: 30_000 }),
  },
  { name: 'settings', path: '/settings', height: 1000 },
  { name: 'route', path: '/jobs/2614/route', prepare: (page) => page.locator('[data-spot="2-p5"]').click() },
  {
    name: 'route-compare',
    path: '/jobs/2614/route',
    height: 1000,
    prepare: async (page) => {
      await page.getByText('Side by side').click();
      await page.waitForTimeout(1500);
    },
  },
  {
    name: 'drawing',
    path: '/jobs/2614/route',
    height: 1000,
    prepare: async (page) => {
      await dragArchive(page);
      await page.mouse.up();
      await page.getByRole('button', { name: 'Shrink Archive at its left end' }).click();
      await page.locator('[data-spot="3-p3"]').click();
    },
  },
  {
    name: 'route-true-scale-dark',
    path: '/jobs/2611/route',
    dark: true,
    height: 1000,
    prepare: (page) => page.getByText('True scale').click(),
  },
  { name: 'rehearsal', path: '/jobs/2613/survey', prepare: cutRehearsal },
  { name: 'rehearsal-image', path: '/jobs/2613/survey', prepare: onImage },
  {
    name: 'sheet',
    path: '/jobs/2608/sheet',
    height: 1000,
    prepare: async (page) => {
      await page.locator('#step-2').waitFor();
      await page.evaluate(() => document.getElementById('step-2')?.scrollIntoView());
    },
  },
  { name: 'proof', path: '/jobs/2607/proof', height: 1000, prepare: (page) => page.waitForTimeout(1000) },
  { name: 'about', path: '/jobs/2607/about' },
];

const images = resolve('.local/picture-images');
rmSync(images, { recursive: true, force: true });
mkdirSync(images, { recursive: true });
process.env['GENTLE_TIDE_IMAGES'] = images;
const { windowsImage } = await loadTs('scripts/test/windowsImage.ts');
const made = windowsImage({ recovery: 400 });
/** @type {[string, string][]} */
const copies = [
  ['qcow2', 'booking-desk.qcow2'],
  ['vhdx', IMAGE],
  ['raw', 'kiosk, taken before the move.img'],
];
for (const [format, name] of copies)
  execFileSync('qemu-img', ['convert', '-f', 'raw', '-O', format, made.path, join(images, name)]);
made.remove();
rmSync('.local/picture-database', { recursive: true, force: true });
const database = await startDatabase('.local/picture-database', ['pictures', 'shop']);
await buildIfChanged();
const port = (await tryPort(0, '127.0.0.1')) ?? 0;
const server = await serve({
  port,
  host: '127.0.0.1',
  databaseUrl: database.url('pictures'),
  migrationUrl: database.keeperUrl('pictures'),
  demo: true,
});
const browser = await chromium.launch(browserOptions);
mkdirSync(FOLDER, { recursive: true });
for (const { name, path, dark, height, prepare } of VIEWS) {
  const page = await browser.newPage({
    viewport: { width: 1280, height: height ?? 800 },
    colorScheme: dark ? 'dark' : 'light',
    reducedMotion: 'reduce',
  });
  await page.goto(server.address + path, { waitUntil: 'networkidle' });
  await prepare?.(page);
  await page.mouse.move(0, 0);
  await page.waitForTimeout(200);
  await page.screenshot({ path: `${FOLDER}/${name}.png` });
  await page.close();
  console.log(`${FOLDER}/${name}.png`);
}
await server.stop();

// The same jobs in a workshop where people sign in.
let said = '';
const shop = await serve({
  port,
  host: '127.0.0.1',
  databaseUrl: database.url('shop'),
  migrationUrl: database.keeperUrl('shop'),
  demo: true,
  env: { GENTLE_TIDE_SIGN_IN: 'on', GENTLE_TIDE_DATA: resolve('.local/picture-shop') },
  said: (text) => (said += text),
});
const bench = await browser.newContext({ viewport: { width: 1280, height: 800 }, reducedMotion: 'reduce' });
const ida = await bench.newPage();
/**
 * @param {import('@playwright/test').Page} page @param {string} address @param {[label: RegExp, text: string][]} fields
 */
async function signIn(page, address, fields) {
  await page.goto(address);
  await page.locator('html[data-live]').waitFor({ state: 'attached' });
  for (const [label, text] of fields) await page.getByLabel(label).fill(text);
  await page.getByRole('button', { name: 'Sign in' }).click();
  await page.getByRole('heading', { name: 'Jobs' }).waitFor();
}
const PIN = '480276';
await signIn(ida, /http\S+sign-in#\S+/.exec(said)?.[0] ?? '', [
  [/^Name/, 'Ida Brack'],
  [/^Passphrase/, 'wading heron under glass'],
  [/^PIN/, PIN],
]);
for (const [name, role] of [
  ['Tom Reed', 'technician'],
  ['Una Marsh-Pelham', 'technician'],
  ['Jo Pell', 'reader'],
  ['Wen', 'technician'],
]) {
  const reply = await bench.request.post(`${shop.address}/api/v1/people`, {
    headers: { origin: shop.address },
    data: { name, role },
  });
  const { address } = await reply.json();
  // The last one has not come yet.
  if (name === 'Wen') break;
  const tablet = await browser.newContext({ userAgent: TABLET, viewport: { width: 1024, height: 768 } });
  const page = await tablet.newPage();
  await signIn(page, address, [[/^PIN/, PIN]]);
  if (name === 'Una Marsh-Pelham') {
    await tablet.clearCookies({ name: 'session' });
    await page.goto(shop.address);
    await page.getByRole('list', { name: 'People with a PIN' }).waitFor();
    await page.screenshot({ path: `${FOLDER}/sign-in.png` });
  }
  await tablet.close();
}
await ida.goto(`${shop.address}/settings/people`);
await ida.getByText('has not signed in yet').waitFor();
await ida.waitForTimeout(300);
await ida.screenshot({ path: `${FOLDER}/people.png` });
await browser.close();
await shop.stop();
await database.stop();
