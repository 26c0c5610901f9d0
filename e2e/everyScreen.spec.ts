import type { APIRequestContext, Page } from '@playwright/test';
import { shareOf } from '../src/lib/core/test/evidence';
import { addSurveyedJob } from './survey';
import { expect, test } from './test';

/** Sectors of a MiB. */
const MIB = 2048;

interface Part {
  number: number;
  /** MiB. */
  at: number;
  mib: number;
  type?: string;
  kind?: 'extended' | 'logical';
  used?: number;
  letter?: string;
  active?: boolean;
}

/** A survey of one disk of `mib` MiB with an MBR. */
function mbrSurvey(mib: number, parts: readonly Part[]): unknown {
  return {
    format: 'gentle-tide/survey',
    version: 1,
    takenAt: '2026-11-20T09:30:00Z',
    machine: { name: 'Salt Pan Library, reading room', firmware: 'bios' },
    disks: [
      {
        number: 0,
        model: 'made-up hard disk',
        serial: 'GT-E2E-MBR',
        media: 'hdd',
        sectorSize: 512,
        sectors: mib * MIB,
        table: 'mbr',
        id: '0x47540001',
        partitions: parts.map(({ number, at, mib: size, type, kind, used, letter, active }) => ({
          number,
          first: at * MIB,
          sectors: size * MIB,
          type: type ?? '0x07',
          ...(kind && { kind }),
          ...(letter && { letter }),
          ...(active && { active }),
          ...(kind !== 'extended' && {
            volume: {
              fileSystem: 'ntfs',
              label: letter === 'C' ? 'Windows' : `Volume ${number}`,
              clusterSize: 4096,
              size: size * 2 ** 20,
              used: Math.round((used ?? size / 4) * 2 ** 20),
            },
          }),
        })),
      },
    ],
  };
}
const WINDOWS: Part = { number: 1, at: 1, mib: 60_000, used: 57_000, letter: 'C', active: true };
const extended = (at: number, mib: number): Part => ({ number: 4, at, mib, type: '0x0F', kind: 'extended' });
const logical = (number: number, at: number, mib: number): Part => ({ number, at, mib, kind: 'logical' });

/** Disks on which screens were blank, or might be; each with room for Windows to grow. */
const DISKS: Record<string, unknown> = {
  'one logical drive, unallocated room where the extended partition begins': mbrSurvey(200_000, [
    WINDOWS,
    extended(60_001, 139_000),
    logical(5, 100_002, 80_000),
  ]),
  'two logical drives with gaps around them': mbrSurvey(300_000, [
    WINDOWS,
    extended(80_001, 219_000),
    logical(5, 90_002, 80_000),
    logical(6, 180_002, 80_000),
  ]),
  'three logical drives side by side': mbrSurvey(300_000, [
    WINDOWS,
    extended(90_001, 209_000),
    logical(5, 90_002, 60_000),
    logical(6, 150_003, 60_000),
    logical(7, 210_004, 60_000),
  ]),
  'an empty extended partition with room on both sides': mbrSurvey(300_000, [
    WINDOWS,
    { number: 2, at: 250_000, mib: 40_000, letter: 'D' },
    extended(80_001, 100_000),
  ]),
  'an extended partition before Windows': mbrSurvey(300_000, [
    { ...WINDOWS, number: 2, at: 120_000 },
    extended(1, 100_000),
    logical(5, 40_002, 40_000),
  ]),
  'forty partitions': mbrSurvey(800_000, [
    WINDOWS,
    extended(80_001, 719_000),
    ...Array.from({ length: 38 }, (_, i) => logical(5 + i, 80_002 + i * 17_000, 15_000)),
  ]),
};

const SCREENS = ['survey', 'diagnosis', 'target', 'route', 'rehearsal', 'sheet', 'proof', 'about'];

/** That the screen has its heading, something below it, and nothing that failed. */
async function isShown(page: Page, screen: string): Promise<void> {
  await expect(page.locator('h1').first(), screen).toBeVisible();
  await expect(page.getByText('A defect of Gentle Tide'), screen).toHaveCount(0);
  const { height } = (await page.locator('#content').boundingBox())!;
  expect(height, screen).toBeGreaterThan(250);
}

/** A size that a route reaches, the route chosen, and its sheet made. @returns whether there is one */
async function plan(request: APIRequestContext, number: number): Promise<boolean> {
  const target = (await (await request.get(`/api/v1/jobs/${number}`)).json()) as {
    version: number;
    answer: { routes: unknown[] } | null;
  };
  const goal = { version: target.version, size: 61_500 * 2 ** 20, keepFreePercent: 5 };
  const planned = await request.put(`/api/v1/jobs/${number}/goal`, { data: goal });
  expect(planned.status(), await planned.text()).toBe(200);
  const job = (await (await request.get(`/api/v1/jobs/${number}`)).json()) as typeof target;
  if (!job.answer || job.answer.routes.length === 0) return false;
  await request.put(`/api/v1/jobs/${number}/route`, { data: { version: job.version, chosen: 0 } });
  const made = await request.post(`/api/v1/jobs/${number}/sheets`, { data: { version: job.version + 1 } });
  expect(made.status(), await made.text()).toBe(200);
  return true;
}

for (const [name, survey] of shareOf(Object.entries(DISKS), 6)) {
  test(`every screen shows a disk with ${name}, also one that is hidden for a while`, async ({
    page,
    request,
  }) => {
    const number = await addSurveyedJob(request, survey);
    expect(await plan(request, number)).toBe(true);
    await page.setViewportSize({ width: 390, height: 800 });
    for (const screen of SCREENS) {
      await page.goto(`/jobs/${number}/${screen}`);
      await isShown(page, screen);
    }
    // From screen to screen, as people go: the pages are then drawn by the browser alone.
    for (const screen of ['Survey', 'Diagnosis', 'Target', 'Route', 'Rehearsal', 'Sheet', 'Proof']) {
      await page.setViewportSize({ width: 1280, height: 800 });
      const path = page.getByRole('navigation', { name: 'Path of the job' });
      await path.getByRole('link', { name: new RegExp(screen, 'i') }).click();
      await expect(page).toHaveURL(new RegExp(`/${screen}$`, 'i'));
      await isShown(page, screen);
      // A disk scrolls inside its own frame, not the page.
      expect(await page.evaluate(() => document.documentElement.scrollWidth), screen).toBe(1280);
      // Nothing is drawn with a negative width: the console would tell an error.
      for (const display of ['none', '']) {
        await page.locator('#content').evaluate((content, how) => (content.style.display = how), display);
        await page.evaluate(() => new Promise(requestAnimationFrame));
      }
      await page.setViewportSize({ width: 200, height: 700 });
    }
  });
}

test('an error in drawing shows a sentence, and the rest of the page stays', async ({
  page,
  request,
  consoleErrors,
}) => {
  const number = await addSurveyedJob(request, DISKS['three logical drives side by side']);
  expect(await plan(request, number)).toBe(true);
  // The sheet comes without the disk as found.
  await page.route(/\/sheet\/__data\.json/, async (route) => {
    const answer = await route.fetch();
    const text = await answer.text();
    const broken = text.replace(/("asFound":)\d+/, '$1-1');
    expect(broken).not.toBe(text);
    await route.fulfill({ response: answer, body: broken });
  });
  await page.goto(`/jobs/${number}/route`);
  await page.getByRole('link', { name: 'See its work sheet' }).click();
  await expect(page.getByText('keeps the disk as found from being shown')).toBeVisible();
  await expect(page.getByRole('heading', { name: 'Before', exact: true })).toBeVisible();
  await expect(page.getByRole('progressbar', { name: 'Progress of the sheet' })).toBeVisible();
  expect(consoleErrors.length).toBeGreaterThan(0);
  consoleErrors.length = 0;
});
