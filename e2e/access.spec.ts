import { shareOf } from '../src/lib/core/test/evidence';
import { areAccessible } from './accessible';
import { expect, test } from './test';
import { addJob, addSurveyedJob, sampleSurvey } from './survey';

/** Screens by what they are about. EMPTY stands for a job that has no survey yet. */
const SCREENS = {
  'the list of jobs and the settings': ['/', '/jobs/new', '/settings', '/settings/server', '/jobs/99999'],
  surveys: [
    '/jobs/2614/survey',
    '/jobs/2614/survey/by-hand',
    '/jobs/2614/survey/changes',
    '/jobs/2614/survey/holdings',
    '/jobs/2613/survey/holdings',
    '/jobs/EMPTY/survey',
  ],
  plans: [
    '/jobs/2614/diagnosis',
    '/jobs/2614/target',
    '/jobs/2610/target',
    '/jobs/2610/diagnosis/larger-disk',
    '/jobs/2614/route',
  ],
  'the work': ['/jobs/2614/rehearsal', '/jobs/2608/sheet', '/jobs/2607/proof', '/jobs/2607/about'],
};

for (const [index, [about, screens]] of Object.entries(SCREENS).entries()) {
  test(`everybody can use the screens of ${about}`, async ({ page, request }) => {
    const empty = about === 'surveys' ? await addJob(request, 'empty') : 0;
    const addresses = shareOf(screens, 3).map((address) => address.replace('EMPTY', String(empty)));
    await areAccessible(page, addresses, index);
  });
}

test('a disk with 40 partitions scrolls inside its own frame, not the page', async ({ page, request }) => {
  const survey = sampleSurvey();
  const [disk] = survey.disks as unknown as { sectors: number; partitions: Record<string, unknown>[] }[];
  for (let number = 4; number <= 40; number++) {
    disk!.partitions.push({ ...disk!.partitions[1], id: null, number, first: disk!.sectors });
    disk!.sectors += 600 * 2048;
  }
  disk!.sectors += 2048;
  const number = await addSurveyedJob(request, survey);
  for (const screen of ['survey', 'diagnosis']) {
    await page.goto(`/jobs/${number}/${screen}`);
    await expect(page.getByRole('region', { name: 'Disk 0 from start to end' })).toBeVisible();
    expect(await page.evaluate(() => document.documentElement.scrollWidth)).toBe(1280);
  }
});

test('the theme is kept, everything is reached by keyboard with the focus visible, and nothing is fetched from elsewhere', async ({
  page,
}) => {
  const foreign: string[] = [];
  page.on('request', (request) => {
    if (!/^(http:\/\/127\.0\.0\.1|data:|blob:)/.test(request.url())) foreign.push(request.url());
  });
  await page.goto('/');
  await page.getByRole('button', { name: 'Dark theme' }).click();
  await page.reload();
  await expect(page.locator('html')).toHaveAttribute('data-mode', 'dark');

  await page.goto('/jobs/2614/diagnosis');
  const reached: string[] = [];
  for (let i = 0; i < 14; i++) {
    await page.keyboard.press('Tab');
    const focus = await page.evaluate(() => {
      const element = document.activeElement!;
      const style = getComputedStyle(element);
      return {
        name: element === document.body ? '' : element.textContent!.trim(),
        outline: style.outlineStyle !== 'none' && parseFloat(style.outlineWidth) >= 2,
      };
    });
    reached.push(focus.name);
    if (focus.name) expect(focus.outline, focus.name).toBe(true);
  }
  expect(reached.join('|')).toMatch(/Jobs.*Survey.*Route.*Choose the size/s);

  await page.goto('/jobs/2614/route', { waitUntil: 'networkidle' });
  expect(foreign).toEqual([]);
});
