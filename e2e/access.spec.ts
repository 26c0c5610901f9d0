import { shareOf } from '../src/lib/core/test/evidence';
import { areAccessible } from './accessible';
import { expect, test } from './test';
import { addJob } from './survey';

/** Screens with content of every kind. EMPTY stands for a job that has no survey yet. */
const SCREENS = [
  '/',
  '/jobs/new',
  '/settings',
  '/settings/server',
  '/jobs/99999',
  '/jobs/2614/survey',
  '/jobs/2614/survey/by-hand',
  '/jobs/2614/survey/changes',
  '/jobs/2614/survey/holdings',
  '/jobs/2613/survey/holdings',
  '/jobs/EMPTY/survey',
  '/jobs/2614/diagnosis',
  '/jobs/2614/target',
  '/jobs/2610/target',
  '/jobs/2610/diagnosis/larger-disk',
  '/jobs/2614/route',
  '/jobs/2614/rehearsal',
  '/jobs/2608/sheet',
  '/jobs/2607/proof',
  '/jobs/2607/about',
];

test('everybody can use the screens', async ({ page, request }) => {
  const empty = String(await addJob(request, 'empty'));
  await areAccessible(
    page,
    shareOf(SCREENS, 7).map((address) => address.replace('EMPTY', empty)),
  );
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
