import { expect, test } from './test';
import { addJob, sampleSurvey } from './survey';

test('a FAT volume that has to grow is converted by Windows, once that is allowed', async ({
  page,
  request,
}) => {
  test.setTimeout(60_000);
  const survey = sampleSurvey();
  // D: is FAT32 and ends before 100 GiB that nobody has.
  const [, , catalogue] = survey.disks[0]!.partitions as [unknown, unknown, Record<string, unknown>];
  const sectors = 200 * 1024 * 2048;
  Object.assign(catalogue, {
    sectors,
    volume: { ...(catalogue['volume'] as object), fileSystem: 'fat32', size: sectors * 512 },
  });
  const number = await addJob(request, 'camera archive');
  const kept = await request.put(`/api/v1/jobs/${number}/survey`, {
    data: { version: 1, source: 'document', survey },
  });
  expect(kept.status()).toBe(200);
  await page.goto(`/jobs/${number}/survey`);
  await page.getByRole('button', { name: /^Grow .*Catalogue/ }).click();
  await page.getByRole('button', { name: 'See the diagnosis' }).click();
  await expect(page.getByText('Windows itself does not extend Catalogue (D:)')).toBeVisible();
  await expect(page.getByText(/Convert it to NTFS first, where it is/)).toBeVisible();

  await page.getByRole('button', { name: 'Choose the size' }).click();
  for (const kit of ['Live mover', 'Offline mover'])
    await page.getByRole('checkbox', { name: kit }).uncheck();
  // Windows alone can't, until it may convert.
  await expect(page.getByText('Catalogue (D:) cannot be grown')).toBeVisible();
  await page.getByText('What may be done on the way').click();
  await page.getByRole('checkbox', { name: /may be converted to NTFS/ }).check();
  await page.getByLabel('New total', { exact: true }).fill('260 GiB');
  await page.getByRole('button', { name: 'Find the routes' }).click();
  await expect(page.getByRole('list', { name: 'Steps of the route' })).toContainText('Convert volume');
  await expect(page.getByText(/is converted to NTFS for good/).first()).toBeVisible();

  await page.getByRole('link', { name: /work sheet/ }).click();
  await page.getByRole('button', { name: /^Make the work sheet/ }).click();
  await expect(page.getByText('Convert Catalogue (D:) to NTFS', { exact: true }).first()).toBeVisible();
  await page.goto(`/jobs/${number}/rehearsal`);
  await expect(
    page.getByText(/a volume is converted in place by Windows, which is not rehearsed/),
  ).toBeVisible();
});
