import type { Page } from '@playwright/test';
import { textOf } from './pdf';
import { DEMO_JOBS } from '../src/lib/server/demo/machines';
import { expect, takesTurn, test } from './test';

const GIB = 2 ** 30;

/** The ferry office's virtual machine with a route for 140 GiB; its number. */
async function ferry(page: Page, fileSystem: 'ntfs' | 'refs' = 'ntfs'): Promise<number> {
  const added = await page.request.post('/api/v1/jobs', {
    data: { customer: 'Harbour Ferry Office', machine: 'booking desk' },
  });
  const { number } = (await added.json()) as { number: number };
  const job = `/api/v1/jobs/${number}`;
  const survey = structuredClone(DEMO_JOBS.find((one) => one.number === 2613)!.survey);
  const windows = survey.disks[0]!.partitions.find(({ role }) => role === 'windows')!;
  windows.volume!.fileSystem = fileSystem;
  await page.request.put(`${job}/survey`, { data: { version: 1, source: 'document', survey } });
  const saved = await page.request.put(`${job}/goal`, {
    data: { version: 2, size: 140 * GIB, options: { kits: ['offline-mover'] } },
  });
  expect(saved.ok()).toBe(true);
  return number;
}

const button = (page: Page, name: string | RegExp) => page.getByRole('button', { name });

async function begin(page: Page, number: number): Promise<void> {
  await page.goto(`/jobs/${number}/route`);
  await page
    .getByRole('navigation', { name: 'Path of the job' })
    .getByRole('link', { name: /^Rehearsal/ })
    .click();
  await page.getByText('Like the drive', { exact: true }).click();
  await button(page, 'Make a stand-in and carry the route out').click();
}

/** Waits until the step at work is one that moves, and cuts the power. */
async function cutWithinStep(page: Page): Promise<void> {
  const steps = page.getByRole('list', { name: 'Steps of the rehearsal' });
  await expect(steps.getByRole('listitem').filter({ hasText: /^2.*Move/ })).toHaveAttribute(
    'aria-current',
    'step',
  );
  await button(page, 'Cut the power').click();
  await expect(page.getByRole('heading', { name: 'The power is gone' })).toBeVisible();
}

test('the demo virtual machine is rehearsed, cut, resumed and proved, and the proof is a file', async ({
  page,
}) => {
  const number = await ferry(page);
  await begin(page, number);
  await cutWithinStep(page);
  await expect(page.getByText('Here nothing is lost.')).toBeVisible();
  await expect(page.getByText(/The old place still holds everything/)).toBeVisible();
  await page.getByText('As fast as it goes', { exact: true }).click();
  await button(page, 'Resume').click();
  await expect(page.getByRole('heading', { name: 'Nothing was lost' })).toBeVisible();
  await expect(
    page.getByText('Every partition lies where the route says, and every file is as it was.'),
  ).toBeVisible();
  const [download] = await Promise.all([
    page.waitForEvent('download'),
    page.getByRole('link', { name: 'The proof as a file' }).click(),
  ]);
  expect(download.suggestedFilename()).toMatch(/^rehearsal-\d+-\d+\.json$/);
  const proof = await page.request.get(`/api/v1/jobs/${number}/rehearsals`);
  const [newest] = (await proof.json()) as { id: number; verdict: string; progress: { cuts: number } }[];
  expect([newest!.verdict, newest!.progress.cuts]).toEqual(['proved', 1]);
  // It stands on the work sheet, and on its papers.
  const job = `/api/v1/jobs/${number}`;
  const { version } = (await (await page.request.get(job)).json()) as { version: number };
  expect((await page.request.post(`${job}/sheets`, { data: { version } })).ok()).toBe(true);
  const [{ id }] = (await (await page.request.get(`${job}/sheets`)).json()) as [{ id: number }];
  const line = /Rehearsed on a stand-in on [\d-]+: nothing lost, one power cut/;
  expect(await (await page.request.get(`${job}/sheets/${id}/sheet.md`)).text()).toMatch(line);
  expect(textOf(await (await page.request.get(`${job}/sheets/${id}/sheet.pdf`)).body())).toMatch(line);
  await page.goto(`/jobs/${number}/sheet`);
  await expect(page.getByText(/Rehearsed on a stand-in .* nothing lost, one power cut/)).toBeVisible();
});

test('a step is taken back after a cut, somebody else watches, and it is ended', async ({
  page,
  context,
}) => {
  takesTurn(1, 2);
  const number = await ferry(page);
  await begin(page, number);
  await cutWithinStep(page);
  const other = await context.newPage();
  await other.goto(`/jobs/${number}/rehearsal`);
  await button(page, 'Step back').click();
  for (const one of [page, other])
    await expect(one.getByText(/Table, sizes and files are as before step 2/)).toBeVisible();
  await button(other, 'End the rehearsal').click();
  await expect(page.getByRole('heading', { name: 'Ended before its time' })).toBeVisible();
  await expect(button(page, 'Make a stand-in and carry the route out')).toBeVisible();
});

test('a route that can’t be rehearsed says why, and two don’t begin at once', async ({ page }) => {
  await page.goto(`/jobs/${await ferry(page, 'refs')}/rehearsal`);
  await expect(page.getByRole('heading', { name: 'This route can’t be rehearsed' })).toBeVisible();
  await expect(
    page.getByText('In it a volume is extended that is neither NTFS nor FAT, which is not rehearsed so far.'),
  ).toBeVisible();
  const number = await ferry(page);
  const path = `/api/v1/jobs/${number}/rehearsals`;
  const both = await Promise.all([1, 2].map(() => page.request.post(path, { data: { pace: 'fast' } })));
  expect(both.map((one) => one.status()).sort()).toEqual([201, 409]);
  const refused = (await both.find((one) => one.status() === 409)!.json()) as { detail: string };
  expect(refused.detail).toContain('A rehearsal of this job is under way');
  const [{ id }] = (await (await page.request.get(path)).json()) as { id: number }[];
  expect((await page.request.put(`${path}/${id}`, { data: { wish: 'cancel' } })).ok()).toBe(true);
});
