import type { Page } from '@playwright/test';
import { shareOf } from '../src/lib/core/test/evidence';
import { expect, test } from './test';
import { addSurveyedJob, sampleSurvey } from './survey';

/** Asks for a size on the Target screen. */
async function ask(page: Page, number: number, size: string): Promise<void> {
  await page.goto(`/jobs/${number}/target`);
  await page.getByLabel('New total', { exact: true }).fill(size);
}

/** A small disk: C: full, recovery behind it, then room. */
function roomBehindRecovery() {
  const survey = sampleSurvey();
  survey.disks[0]!.partitions.pop();
  return survey;
}

/** Kits, and what the first route of each alone does. */
const TITLES = {
  'Windows only': 'Set aside Recovery',
  'Live mover': 'Shift Recovery',
  'Offline mover': 'Shift Recovery',
};

test('from goal to chosen route with a kit alone', async ({ page, request }) => {
  const number = await addSurveyedJob(request, roomBehindRecovery());
  for (const [kit, title] of shareOf(Object.entries(TITLES), 3)) {
    await ask(page, number, '150 GiB');
    // What is asked for has at least one kit: it is ticked before the others go.
    await page.getByRole('checkbox', { name: kit }).check();
    for (const other of Object.keys(TITLES).filter((one) => one !== kit))
      await page.getByRole('checkbox', { name: other }).uncheck();
    await page.getByRole('button', { name: 'Find the routes' }).click();
    const card = page.getByRole('button', { name: new RegExp(`^${title}`) }).first();
    await expect(card).toBeVisible();
    await card.click();
    const choose = page.getByRole('button', { name: /(Choose this route|This route is chosen)/ });
    if (await choose.isEnabled()) await choose.click();
    await expect(page.getByRole('button', { name: 'This route is chosen' })).toBeVisible();
    await page.reload();
    await expect(page.getByRole('complementary')).toContainText(title);
    await expect(page.getByRole('combobox', { name: 'Of which kit' }).locator('option')).toHaveText([
      'all kits',
      kit,
    ]);
  }
});

test('routes stand side by side, are ordered and filtered, and two are drawn beside each other', async ({
  page,
  request,
}) => {
  const number = await addSurveyedJob(request, roomBehindRecovery());
  await ask(page, number, '150 GiB');
  await page.getByRole('button', { name: 'Find the routes' }).click();
  await expect(page.getByRole('heading', { name: /Routes found · \d/ })).toBeVisible();
  await page.getByText('Side by side').click();
  const table = page.getByRole('region', { name: 'Routes side by side' });
  for (const row of ['Data copied', 'of it hands-on', 'Hand-overs', 'Stranded', 'C: free afterwards']) {
    await expect(table.getByRole('rowheader', { name: row })).toBeVisible();
  }
  await expect(
    page.getByRole('figure', { name: 'Where the time of each route goes' }).locator('svg').first(),
  ).toBeVisible();
  await page.getByText('Tide chart').click();
  await page.getByRole('combobox', { name: 'Of which kit' }).selectOption({ label: 'Windows only' });
  await expect(page.getByRole('heading', { name: 'Routes found · 1' })).toBeVisible();
  await page.getByRole('combobox', { name: 'Of which kit' }).selectOption({ label: 'all kits' });
  await page.getByRole('button', { name: 'Show beside' }).first().click();
  await expect(page.getByRole('region', { name: 'Chart beside it' })).toBeVisible();
});

test('a break point of size against effort is clicked; an amount that a volume gives is held', async ({
  page,
  request,
}) => {
  const survey = roomBehindRecovery();
  // 10 GiB right behind C:, so that up to there nothing has to be moved.
  survey.disks[0]!.partitions[1]!['first'] = (1 + 110 * 1024) * 2048;
  const number = await addSurveyedJob(request, survey);
  await page.goto(`/jobs/${number}/target`);
  const stop = page.getByRole('button', { name: 'Up to 110.0 GiB' });
  await expect(stop).toBeVisible();
  await expect(page.getByRole('list', { name: 'Where the effort changes' })).toContainText(
    'nothing is copied',
  );
  await stop.click();
  await expect(page.getByLabel('New total', { exact: true })).toHaveValue('110 GiB');

  const other = await addSurveyedJob(request);
  await ask(page, other, '150 GiB');
  await page.getByLabel('Amount that Catalogue (D:) gives').fill('900 GiB');
  await page.getByLabel('Amount that Catalogue (D:) gives').press('Enter');
  await expect(page.getByText(/It can give .* at most/)).toBeVisible();
  await page.getByLabel('Amount that Catalogue (D:) gives').fill('60 GiB');
  await page.getByLabel('Amount that Catalogue (D:) gives').press('Enter');
  await page.getByRole('button', { name: 'Find the routes' }).click();
  await expect(page.getByRole('list', { name: 'Steps of the route' })).toContainText('Catalogue by 60.0 GiB');
});

test('the search is stopped, and nothing is saved', async ({ page, request }) => {
  await ask(page, 2611, '330 GiB');
  const before = await (await request.get('/api/v1/jobs/2611')).json();
  await page.getByRole('button', { name: 'Find the routes' }).click();
  await page.getByRole('button', { name: 'Stop looking' }).click();
  await expect(page.getByText('Stopped. Nothing was changed.')).toBeVisible();
  const after = await (await request.get('/api/v1/jobs/2611')).json();
  expect(after.version).toBe(before.version);
});

test('a tool of one’s own is described, finds what it cannot do, and makes its routes stale when it changes', async ({
  page,
  request,
}) => {
  const before = (await (await request.get('/api/v1/workshop')).json()) as { version: number };
  const number = await addSurveyedJob(request, roomBehindRecovery());
  try {
    await page.goto('/settings');
    await page.getByRole('button', { name: 'A tool of our own' }).click();
    await page.getByLabel('Name of the tool').fill('Weak mover');
    await page.getByLabel('Name of the tool').press('Enter');
    const moves = page.getByRole('group', { name: 'Moves', exact: true }).last();
    await moves.getByRole('checkbox', { name: 'recovery' }).uncheck();
    await page.getByRole('button', { name: 'A kit of our own' }).click();
    await page.getByLabel('Name of the kit').fill('Weak kit');
    await page.getByLabel('Name of the kit').press('Enter');
    await page.getByRole('button', { name: 'Save the settings' }).click();
    await expect(page.getByText('Routes planned with what changed are marked stale.')).toBeVisible();

    await ask(page, number, '150 GiB');
    for (const one of ['Windows only', 'Live mover', 'Offline mover']) {
      await page.getByRole('checkbox', { name: one }).uncheck();
    }
    await page.getByRole('checkbox', { name: 'Weak kit' }).check();
    await page.getByRole('button', { name: 'Find the routes' }).click();
    // It cannot move recovery: only Windows can set it aside.
    await expect(page.getByRole('complementary')).toContainText('Set aside Recovery');

    // The tool changes, so what was planned with it is stale; other jobs are not.
    await page.goto('/settings');
    await moves.getByRole('checkbox', { name: 'recovery' }).check();
    await page.getByRole('button', { name: 'Save the settings' }).click();
    await expect(page.getByText('Routes planned with what changed are marked stale.')).toBeVisible();
    await page.goto(`/jobs/${number}/route`);
    await expect(page.getByText('These routes are stale')).toBeVisible();
    const other = await (await request.get('/api/v1/jobs/2614')).json();
    expect(other.goal.stale).toBe(false);
  } finally {
    const now = (await (await request.get('/api/v1/workshop')).json()) as { version: number };
    if (now.version !== before.version) {
      await request.put('/api/v1/workshop', { data: { version: now.version, workshop: {} } });
    }
  }
});
