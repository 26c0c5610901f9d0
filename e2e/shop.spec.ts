import { execFileSync } from 'node:child_process';
import { X509Certificate } from 'node:crypto';
import { mkdirSync, mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { request as overHttp } from 'node:http';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { chromium, type Browser, type Page } from '@playwright/test';
import { browserOptions } from '../scripts/browser.mjs';
import { tryPort } from '../scripts/ports.mjs';
import { serve } from '../scripts/server.mjs';
import { areAccessible } from './accessible';
import { codesIn } from './pdf';
import { expect, live, test } from './test';

/** A workshop's server: it listens on all addresses, so it has HTTPS and sign-in. Its database is its own. */
const url = process.env['SHOP_DATABASE_URL'];
const keeperUrl = process.env['SHOP_MIGRATION_URL'];
const PASSPHRASE = 'wading heron under glass';

test.skip(!url, 'needs a database of its own');
// One workshop, one day: each test goes on from the one before.
test.describe.configure({ mode: 'serial', retries: 0 });

const folder = mkdtempSync(join(tmpdir(), 'gentle-tide-shop-'));
const data = join(folder, 'data');
let port = 0;
let server: Awaited<ReturnType<typeof serve>>;
let browser: Browser;
let said = '';
let base = '';
let ida: Page;
let tablet: Page;

const begin = async (): Promise<void> => {
  server = await serve({
    port,
    host: '0.0.0.0',
    databaseUrl: url!,
    ...(keeperUrl ? { migrationUrl: keeperUrl } : {}),
    demo: true,
    env: { GENTLE_TIDE_DATA: data, ORIGIN: base, GENTLE_TIDE_LOG: 'warn' },
    said: (text) => (said += text),
  });
};

/**
 * A browser to which somebody installed the workshop's root, as the page says; nothing else of it is told to look away.
 */
async function trusting(): Promise<Browser> {
  const store = join(folder, '.pki/nssdb');
  mkdirSync(store, { recursive: true });
  const certificates = (...args: string[]) =>
    execFileSync('certutil', ['-d', `sql:${store}`, ...args], { stdio: 'pipe' });
  certificates('-N', '--empty-password');
  const root = join(folder, 'root.crt');
  writeFileSync(root, await openly('/trust/root.crt').then(({ body }) => body));
  certificates('-A', '-t', 'C,,', '-n', 'workshop', '-i', root);
  return chromium.launch({
    ...browserOptions,
    env: { ...process.env, HOME: folder } as Record<string, string>,
  });
}

/** What is answered without encryption. */
const openly = (path: string, method = 'GET'): Promise<{ status: number; location: string; body: Buffer }> =>
  new Promise((done, fail) => {
    const asked = overHttp(
      { host: '127.0.0.1', port, path, method, headers: { host: `localhost:${port}` } },
      (answer) => {
        const parts: Buffer[] = [];
        answer.on('data', (part: Buffer) => parts.push(part));
        answer.on('end', () =>
          done({
            status: answer.statusCode ?? 0,
            location: answer.headers.location ?? '',
            body: Buffer.concat(parts),
          }),
        );
      },
    );
    asked.on('error', fail);
    asked.end();
  });

const screen = async (size = { width: 1280, height: 800 }): Promise<Page> =>
  live(
    await (
      await browser.newContext({ viewport: size, serviceWorkers: 'allow', reducedMotion: 'reduce' })
    ).newPage(),
  );

test.beforeAll(async () => {
  port = (await tryPort(0, '0.0.0.0')) ?? 0;
  base = `https://localhost:${port}`;
  await begin();
  browser = await trusting();
});
test.afterAll(async () => {
  await browser?.close();
  await server?.stop();
  rmSync(folder, { recursive: true, force: true });
});

/** Asks the server as the page that is open would, in the browser that trusts it. */
const ask = <T>(
  page: Page,
  method: string,
  path: string,
  body?: unknown,
): Promise<{ status: number; answer: T }> =>
  page.evaluate(
    async ([method, path, body]) => {
      const reply = await fetch(path!, {
        method: method!,
        ...(body !== undefined && { headers: { 'content-type': 'application/json' }, body }),
      });
      return { status: reply.status, answer: (await reply.json()) as never };
    },
    [method, path, body === undefined ? undefined : JSON.stringify(body)] as const,
  );

/** The sheet that comes with the demo data. */
const sheetOf = async (page: Page): Promise<string> => {
  const { jobs } = (await ask<{ jobs: { number: number }[] }>(page, 'GET', '/api/v1/jobs?stage=sheet'))
    .answer;
  return `/jobs/${jobs[0]!.number}/sheet`;
};
const open = (page: Page) => page.locator('li.open');
async function tickNext(page: Page): Promise<string> {
  const id = (await open(page).getAttribute('id'))!;
  for (const field of await open(page).locator('input[type=text], input:not([type]), textarea').all())
    if ((await field.inputValue()) === '' && (await field.isVisible())) await field.fill('written down');
  await open(page).getByRole('button', { name: /^Done/ }).click();
  await expect(page.locator(`li[id="${id}"]`)).not.toHaveClass(/open/);
  return id;
}

test('the first owner signs in once by the address that the server printed, takes somebody on, who signs in on a tablet', async () => {
  const first = new RegExp(`${base}/sign-in#\\S+`).exec(said)![0];
  ida = await screen();
  await ida.goto(first);
  await ida.getByLabel('Name').fill('Ida Brack');
  await ida.getByLabel(/^Passphrase/).fill('password123');
  await ida.getByRole('button', { name: 'Sign in' }).click();
  await expect(ida.getByRole('alert')).toContainText('first that would be tried');
  await ida.getByLabel(/^Passphrase/).fill(PASSPHRASE);
  await ida.getByLabel(/^PIN/).fill('480276');
  await ida.getByRole('button', { name: 'Sign in' }).click();
  await expect(ida.getByRole('heading', { name: 'Jobs' })).toBeVisible();
  expect(ida.url()).toBe(`${base}/`);

  const other = await screen();
  await other.goto(first);
  await expect(other.getByRole('alert')).toContainText('used already');
  // Whoever is not signed in sees nothing of the workshop.
  await other.goto(`${base}/jobs/2601/about`);
  await expect(other).toHaveURL(/\/sign-in\?to=%2Fjobs%2F2601%2Fabout/);
  await expect(other.getByText('Ida Brack')).toHaveCount(0);
  await other.context().close();

  await ida.goto(`${base}/settings/people`);
  await ida.getByLabel('Name of somebody new').fill('Tom Reed');
  await ida.getByRole('button', { name: 'Take them on' }).click();
  const address = (await ida.locator('.once code').textContent())!;
  tablet = await screen({ width: 1024, height: 768 });
  await tablet.goto(address);
  await tablet.getByLabel(/^PIN/).fill('975310');
  await tablet.getByRole('button', { name: 'Sign in' }).click();
  await expect(tablet.getByRole('link', { name: 'Tom Reed' })).toBeVisible();
  await expect(tablet.getByText('Take over from another bench')).toHaveCount(0);
  await tablet.goto(`${base}/settings/people`);
  await expect(tablet.getByRole('alert')).toContainText('is not for you');

  // One more device, by a QR code: good once.
  await ida.goto(`${base}/me`);
  await ida.getByLabel('Your passphrase or PIN').first().fill(PASSPHRASE);
  await ida.getByRole('button', { name: 'Show a QR code' }).click();
  const once = (await ida.locator('.once code').textContent())!;
  const phone = await screen({ width: 768, height: 1024 });
  await phone.goto(once);
  await phone.getByRole('button', { name: 'Sign in' }).click();
  await expect(phone.getByRole('heading', { name: 'Jobs' })).toBeVisible();
  await phone.context().clearCookies();
  await phone.goto(once);
  await expect(phone.getByRole('alert')).toContainText('used already');
  await phone.context().close();
});

test('what one does appears at the other: list, job and sheet', async () => {
  await tablet.goto(`${base}/`);
  await ida.goto(`${base}/`);
  const pottery = { customer: 'Gull Rock Pottery', machine: 'kiln desk' };
  const { number } = (await ask<{ number: number }>(ida, 'POST', '/api/v1/jobs', pottery)).answer;
  await expect(tablet.getByText('Gull Rock Pottery')).toBeVisible();
  await expect(ida.getByText('Gull Rock Pottery')).toBeVisible();

  await tablet.goto(`${base}/jobs/${number}/about`);
  const saved = { version: 1, ...pottery, notes: 'The kiln is hot.', due: null };
  expect((await ask(ida, 'PUT', `/api/v1/jobs/${number}`, saved)).status).toBe(200);
  // Something may be half-written there: it is offered, not put under the hands.
  await expect(tablet.getByText('Ida Brack did something on this job just now')).toBeVisible();
  await tablet.getByRole('button', { name: 'Show it' }).click();
  await expect(tablet.getByLabel('Notes')).toHaveValue('The kiln is hot.');

  const sheet = await sheetOf(ida);
  await ida.goto(base + sheet);
  await tablet.goto(base + sheet);
  const id = await tickNext(ida);
  await expect(tablet.locator(`li[id="${id}"]`)).toContainText('Ida Brack');
  await tablet.locator(`li[id="${id}"]`).scrollIntoViewIfNeeded();
});

test('a tablet goes on without the server, through a reload, and sends what was ticked when it is back', async () => {
  const sheet = await sheetOf(ida);
  await tablet.goto(base + sheet);
  await tablet.evaluate(async () => {
    await navigator.serviceWorker.ready;
    // It was kept once it can be found.
    for (let i = 0; i < 100; i++) {
      for (const name of await caches.keys())
        if (name.startsWith('pages') && (await (await caches.open(name)).match(location.pathname))) return;
      await new Promise((done) => setTimeout(done, 100));
    }
    throw new Error('the sheet is not kept');
  });
  await server.stop();
  const ticked = [await tickNext(tablet), await tickNext(tablet)];
  await expect(tablet.getByText(/2 ticks are kept on this device/)).toBeVisible();
  await tablet.reload();
  await expect(
    tablet.getByText(/The server can’t be reached.*2 ticks are kept on this device/),
  ).toBeVisible();
  for (const id of ticked) await expect(tablet.locator(`li[id="${id}"]`)).toContainText('Tom Reed');
  await tablet.getByText('What waits to be sent').click();
  await expect(tablet.locator('.waits li')).toHaveCount(2);
  ticked.push(await tickNext(tablet));
  // Another page was not kept: what was is named.
  const elsewhere = await tablet.context().newPage();
  await elsewhere.goto(`${base}/jobs/new`);
  await expect(elsewhere.getByRole('heading', { name: 'The server can’t be reached' })).toBeVisible();
  await elsewhere.getByRole('link', { name: /Work sheet of job/ }).click();
  await expect(elsewhere.getByText(/3 ticks are kept/)).toBeVisible();
  await elsewhere.close();

  await begin();
  await expect(tablet.getByText(/kept on this device/)).toHaveCount(0);
  await ida.goto(base + sheet);
  for (const id of ticked) await expect(ida.locator(`li[id="${id}"]`)).toContainText('Tom Reed');
});

test('somebody else takes the tablet with a PIN; stolen, it is signed out, takes no PIN, and forgets the sheets', async () => {
  await tablet.getByRole('button', { name: 'Somebody else works here now' }).click();
  await tablet.getByRole('button', { name: 'Ida Brack', exact: true }).click();
  await tablet.getByLabel('PIN').fill('111222');
  await tablet.getByRole('dialog').getByRole('button', { name: 'Sign in' }).click();
  await expect(tablet.getByRole('dialog').getByRole('alert')).toContainText('That is not right');
  await tablet.getByLabel('PIN').fill('480276');
  await tablet.getByRole('dialog').getByRole('button', { name: 'Sign in' }).click();
  await expect(tablet.getByRole('link', { name: 'Ida Brack' })).toBeVisible();
  const id = await tickNext(live(tablet));
  await expect(ida.locator(`li[id="${id}"]`)).toContainText('Ida Brack');

  await ida.goto(`${base}/settings/people`);
  const rows = ida.getByRole('region', { name: 'Devices' }).getByRole('row');
  const gone = rows
    .filter({ hasNot: ida.getByText('this screen') })
    .filter({ hasText: 'The device is gone' })
    .first();
  await gone.getByRole('button', { name: 'The device is gone' }).click();
  await expect(ida.getByText(/is known here no more/)).toBeVisible();
  await tablet.reload();
  await expect(tablet).toHaveURL(/\/sign-in/);
  await expect(tablet.getByLabel('Passphrase')).toBeVisible();
  await expect(tablet.getByText('Tom Reed')).toHaveCount(0);
  await expect
    .poll(() =>
      tablet.evaluate(async () => (await caches.keys()).filter((name) => name.startsWith('pages')).length),
    )
    .toBe(0);
  expect((await ask(tablet, 'GET', '/api/v1/jobs')).status).toBe(401);
});

test('without encryption there is the root of the workshop, and the way to HTTPS', async () => {
  const { certificate } = JSON.parse(readFileSync(join(data, 'tls/root.json'), 'utf8')) as {
    certificate: string;
  };
  const root = new X509Certificate((await openly('/trust/root.crt')).body);
  expect(root.fingerprint256).toBe(new X509Certificate(certificate).fingerprint256);
  expect((await openly('/trust')).body.toString()).toContain(root.fingerprint256);
  expect(await openly('/jobs/2601/sheet?sheet=1')).toMatchObject({
    status: 308,
    location: `${base}/jobs/2601/sheet?sheet=1`,
  });
  expect((await openly('/api/v1/sign-in', 'POST')).status).toBe(403);
  // Addresses on paper are the ones that people use.
  const sheet = await sheetOf(ida);
  const [, number] = /jobs\/(\d+)/.exec(sheet)!;
  const sheets = (await ask<{ id: number }[]>(ida, 'GET', `/api/v1/jobs/${number}/sheets`)).answer;
  const pdf = await ida.evaluate(async (path) => {
    const bytes = new Uint8Array(await (await fetch(path)).arrayBuffer());
    return btoa(bytes.reduce((text, byte) => text + String.fromCharCode(byte), ''));
  }, `/api/v1/jobs/${number}/sheets/${sheets[0]!.id}/sheet.pdf`);
  expect(codesIn(Buffer.from(pdf, 'base64'))).toEqual([`${base}${sheet}`]);
  await ida.goto(`${base}/settings/server`);
  await expect(ida.getByText(root.fingerprint256)).toBeVisible();
});

test('the pages of people and server can be used by everybody', async () => {
  const page = await screen();
  const cookies = await ida.context().cookies();
  await page.context().addCookies(cookies);
  const paths = ['/settings/people', '/settings/server', '/me', '/trust', '/sign-in'];
  await areAccessible(
    page,
    paths.map((path) => base + path),
  );
  await page.context().close();
});
