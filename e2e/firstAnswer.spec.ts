import type { Locator, Page } from '@playwright/test';
import { expect, test } from './test';
import { addSurveyedJob } from './survey';

/** The cards of the routes, the first first. */
const cards = (page: Page): Locator => page.getByRole('complementary').locator('button.show');

test('the first card is the route that a practitioner would take', async ({ page }) => {
  for (const [job, title, because] of [
    [
      2614,
      /^Shrink Archive, shift Recovery and Archive/,
      /Nothing is deleted and the order stays; .* exposed/,
    ],
    [2612, /^Shift Recovery/, /nothing is exposed to a power cut/],
    [2611, /^Shrink Sessions, shift Recovery and Sessions/, /so have power backup/],
    [2608, /^Shrink Patients, shift Recovery and Patients/, /Nothing is deleted and the order stays/],
  ] as const) {
    await page.goto(`/jobs/${job}/route`);
    const first = cards(page).first();
    await expect(first).toContainText(title);
    await expect(first).toContainText('usual way');
    await expect(first).toContainText(because);
    // It is the one that was chosen, and none of the few beside it goes by that name.
    await expect(first).toContainText('chosen');
    await expect(cards(page).filter({ hasText: 'usual way' })).toHaveCount(1);
  }
});

test('the room of an enlarged disk is drawn, counted and comes first', async ({ page, request }) => {
  await page.goto('/jobs/2613/diagnosis');
  await expect(
    page.getByText('80.0 GiB of this disk is unallocated, all of it beyond the table.'),
  ).toBeVisible();
  await expect(page.getByText('Beyond the table', { exact: true })).toBeVisible();
  await expect(page.getByText('not counted yet')).toBeVisible();
  const findings = page.getByRole('heading', { level: 3 });
  await expect(findings.first()).toHaveText('The partition table ends before the disk does');
  await expect(page.getByText('lies directly behind it, out of reach of C:')).toBeVisible();
  await expect(page.getByText(/Nothing is unallocated|no room behind it/)).toHaveCount(0);

  // Asked on a job of its own, so that the demo job stays as it is.
  const { survey } = (await (await request.get('/api/v1/jobs/2613')).json()) as {
    survey: { document: unknown };
  };
  const number = await addSurveyedJob(request, survey.document);
  await page.goto(`/jobs/${number}/target`);
  await expect(page.getByText('most 159.0 GiB')).toBeVisible();
  await page.getByLabel('New total', { exact: true }).fill('150 GiB');
  await page.getByRole('button', { name: 'Find the routes' }).click();
  await expect(cards(page).first()).toContainText('usual way');
  // The first step moves the backup table; only then does the room count.
  const steps = page.getByRole('list', { name: 'Steps of the route' }).getByRole('listitem');
  await expect(steps.filter({ hasNotText: /^As (found|left)$/ }).first()).toContainText(/table/i);
});
