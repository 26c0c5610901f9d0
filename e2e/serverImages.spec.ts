import { execFileSync, spawn } from 'node:child_process';
import {
  closeSync,
  copyFileSync,
  existsSync,
  mkdirSync,
  openSync,
  readdirSync,
  readFileSync,
  rmSync,
} from 'node:fs';
import { join } from 'node:path';
import type { Page } from '@playwright/test';
import { cutOut, readEverythingIn } from '../src/lib/core/executor/test/mounted';
import { windowsImage } from '../scripts/test/windowsImage';
import { addJob } from './survey';
import { expect, takesTurn, test } from './test';

const MIB = 2 ** 20;
/** Where the server that is tested looks for images. */
const folder = () => process.env['GENTLE_TIDE_IMAGES']!;
let raw = '';
/** Every file of its Windows, as a driver sees them. */
let windows = '';

test.beforeAll(() => {
  const info = test.info();
  const image = windowsImage({ recovery: 300 });
  raw = join(info.project.outputDir, `windows-${info.workerIndex}.img`);
  mkdirSync(info.project.outputDir, { recursive: true });
  mkdirSync(folder(), { recursive: true });
  execFileSync('cp', ['--sparse=always', image.path, raw]);
  windows = readEverythingIn(image.windows);
  image.remove();
});
test.afterAll(() => rmSync(raw, { force: true }));

function made(format: 'qcow2' | 'vhdx', path: string): string {
  execFileSync('qemu-img', ['convert', '-f', 'raw', '-O', format, raw, path]);
  return path;
}

const button = (page: Page, name: string | RegExp) => page.getByRole('button', { name, exact: true });

/** Surveys an image on its screen, and asks for a larger Windows; then the rehearsal's screen is open. */
async function surveyed(page: Page, number: number, image: string): Promise<void> {
  await page.goto(`/jobs/${number}/survey`);
  await button(page, `Survey ${image}`).click();
  await expect(page.getByText(`from ${image} on the server`)).toBeVisible();
  await expect(page.locator('.cluster-map')).toHaveCount(2);
  const { version } = (await (await page.request.get(`/api/v1/jobs/${number}`)).json()) as {
    version: number;
  };
  const options = { kits: ['offline-mover'], mayEnlargeDisk: true };
  const goal = { version, size: 200 * MIB, keepFreePercent: 0, options };
  expect((await page.request.put(`/api/v1/jobs/${number}/goal`, { data: goal })).ok()).toBe(true);
  await page.goto(`/jobs/${number}/rehearsal`);
}

async function downloaded(page: Page, name: string, to: string): Promise<string> {
  const coming = page.waitForEvent('download');
  await page.getByRole('link', { name: `Download ${name}` }).click();
  await (await coming).saveAs(to);
  return to;
}

/** What other programs read from an image that Windows has grown on: its files, where the route has it. */
async function filesIn(page: Page, number: number, path: string, format: string): Promise<string> {
  const plain = `${path}.raw`;
  execFileSync('qemu-img', ['convert', '-f', format, '-O', 'raw', path, plain]);
  const job = (await (await page.request.get(`/api/v1/jobs/${number}`)).json()) as {
    answer: { routes: { asLeft: { partitions: { number: number; first: number; sectors: number }[] } }[] };
  };
  const left = job.answer.routes[0]!.asLeft.partitions.find((one) => one.number === 3)!;
  expect(left.sectors * 512).toBe(200 * MIB);
  const volume = cutOut(plain, left.first * 512, left.sectors * 512, `${path}.volume`);
  return readEverythingIn(volume);
}

test('a qcow2 image is surveyed on the server, grown in place with a cut in the middle, downloaded and read again', async ({
  page,
  request,
}) => {
  takesTurn(0, 2);
  const image = 'booking desk.qcow2';
  const path = made('qcow2', join(folder(), image));
  const before = readFileSync(path);
  const number = await addJob(request, 'virtual, in place');
  await surveyed(page, number, image);

  const typed = page.getByLabel('To work on the image itself, type its name');
  for (const wrong of ['', 'booking desk', 'Booking desk.qcow2']) {
    await typed.fill(wrong);
    await button(page, 'Carry it out on the image itself').click();
    await expect(page.getByRole('alert')).toHaveText(/type its name just as it is: booking desk\.qcow2/);
  }
  expect(await (await request.get(`/api/v1/jobs/${number}/rehearsals`)).json()).toEqual([]);
  expect(readFileSync(path).equals(before)).toBe(true);

  await page.getByText('Like the drive', { exact: true }).click();
  await typed.fill(image);
  await button(page, 'Carry it out on the image itself').click();
  await expect(page.getByRole('heading', { name: `The route on ${image} itself` })).toBeVisible();
  // As soon as one of the steps within is seen: on a busy machine the last one is over before a later cut comes.
  await expect(page.getByText(/Step [23] of 4/)).toBeVisible();
  await button(page, 'Cut the power').click();
  await expect(page.getByRole('heading', { name: 'The power is gone' })).toBeVisible();
  expect(existsSync(`${path}.journal`)).toBe(true);
  // Whoever looks for it sees that it is at work, and can't take it away.
  expect((await request.get(`/api/v1/images/${encodeURIComponent(image)}`)).status()).toBe(409);
  const { version } = (await (await request.get(`/api/v1/jobs/${number}`)).json()) as { version: number };
  const gone = await request.delete(`/api/v1/jobs/${number}?version=${version}`);
  expect([gone.status(), ((await gone.json()) as { detail: string }).detail]).toEqual([
    409,
    expect.stringContaining('End that first'),
  ]);

  await button(page, 'Step back').click();
  await expect(page.getByRole('heading', { name: 'The step is taken back' })).toBeVisible();
  await page.getByText('As fast as it goes', { exact: true }).click();
  await button(page, 'Resume').click();
  await expect(page.getByRole('heading', { name: 'Nothing was lost' })).toBeVisible();
  await expect(page.getByText(/Power cuts survived\s*1/)).toBeVisible();
  const saved = await downloaded(page, image, test.info().outputPath('grown.qcow2'));
  expect(readFileSync(saved).equals(readFileSync(path))).toBe(true);
  expect(execFileSync('qemu-img', ['check', saved], { encoding: 'utf8' })).toContain('No errors');
  expect(await filesIn(page, number, saved, 'qcow2')).toBe(windows);
  expect(readdirSync(folder()).filter((name) => name.startsWith(`${image}.`))).toEqual([]);

  // Surveyed again it shows what was promised.
  await page.getByRole('link', { name: 'Survey it again' }).click();
  await page.getByText('Other ways to a survey').click();
  await button(page, `Survey ${image}`).click();
  const grown = page.getByRole('listitem').filter({ hasText: /^\s*Windows/ });
  await expect(grown).toContainText('0.2 GiB');
});

test('a VHDX image is sent up in pieces over a line that breaks, and carried out on a copy', async ({
  page,
  request,
}) => {
  takesTurn(1, 2);
  const image = `ticket-office ${test.info().retry}.vhdx`;
  const own = made('vhdx', test.info().outputPath(image));
  const number = await addJob(request, 'virtual, on a copy');
  await page.goto(`/jobs/${number}/survey`);
  let pieces = 0;
  await page.route('**/api/v1/uploads/*', (route) =>
    route.request().method() === 'PUT' && ++pieces === 4 ? route.abort() : route.continue(),
  );
  await page.getByTestId('image-file').setInputFiles(own);
  await expect(page.getByRole('alert')).toContainText('What has arrived is kept');
  // As after the page was closed: the same file is gone on with from where it was.
  await page.unroute('**/api/v1/uploads/*');
  await page.reload();
  const begun: number[] = [];
  page.on('request', (one) => {
    const offset = new URL(one.url()).searchParams.get('offset');
    if (one.method() === 'PUT' && offset !== null) begun.push(Number(offset));
  });
  await page.getByTestId('image-file').setInputFiles(own);
  await expect(button(page, `Survey ${image}`)).toBeVisible();
  expect(begun[0]).toBe(3 * 8 * MIB);
  const there = join(folder(), image);
  expect(readFileSync(there).equals(readFileSync(own))).toBe(true);
  // The same once more is refused: there is one of that name.
  await page.getByTestId('image-file').setInputFiles(own);
  await expect(page.getByRole('alert')).toContainText(`There is an image called ${image}`);

  await surveyed(page, number, image);
  await button(page, 'Carry it out on a copy').click();
  await expect(page.getByRole('heading', { name: `The route on a copy of ${image}` })).toBeVisible();
  await expect(page.getByRole('heading', { name: 'Nothing was lost' })).toBeVisible();
  expect(readFileSync(there).equals(readFileSync(own))).toBe(true);
  const link = await page.getByRole('link', { name: /^Download ticket-office/ }).textContent();
  const copy = link!.trim().slice('Download '.length);
  expect(copy).toMatch(/^ticket-office \d\.carried-out-\d+\.vhdx$/);
  const saved = await downloaded(page, copy, test.info().outputPath('copy.vhdx'));
  expect(execFileSync('qemu-img', ['check', saved], { encoding: 'utf8' })).toContain('No errors');
  expect(await filesIn(page, number, saved, 'vhdx')).toBe(windows);
});

test('an image that something else has open is not touched, and the screen says by what', async ({
  page,
  request,
}) => {
  const image = 'running.qcow2';
  const path = made('qcow2', join(folder(), image));
  copyFileSync(path, test.info().outputPath('before'));
  const number = await addJob(request, 'virtual, running');
  await surveyed(page, number, image);
  const held = openSync(path, 'r');
  const other = spawn('sleep', ['150'], { stdio: [held, 'ignore', 'ignore'] });
  // Else this process would be one of those that have it open.
  closeSync(held);
  await page.getByLabel('To work on the image itself, type its name').fill(image);
  await button(page, 'Carry it out on the image itself').click();
  await expect(page.getByLabel('To work on the image itself, type its name')).toHaveAccessibleDescription(
    /Something else has .*running\.qcow2 open: sleep \(process \d+\)/,
  );
  other.kill();
  expect(readFileSync(path).equals(readFileSync(test.info().outputPath('before')))).toBe(true);
  expect(existsSync(`${path}.journal`)).toBe(false);
});
