import { expect, test } from './test';
import { execFileSync } from 'node:child_process';
import { closeSync, openSync, statSync, truncateSync, writeFileSync, writeSync } from 'node:fs';
import { addJob } from './survey';

const small = () => process.env['SMALL_IMAGE']!;

test('a disk image is read in the browser and leads to a route, and is not uploaded', async ({
  page,
  request,
}) => {
  const number = await addJob(request, 'from an image');
  let sent = 0;
  page.on('request', (one) => (sent += one.postDataBuffer()?.length ?? 0));
  await page.goto(`/jobs/${number}/survey`);
  await page.getByTestId('survey-file').setInputFiles(small());
  await expect(page.getByRole('heading', { name: 'What is on the disk' })).toBeVisible();
  // What is sent is the survey; the image itself has over 800 MiB.
  expect(sent).toBeLessThan(100_000);
  const windows = page.getByRole('listitem').filter({ hasText: /^\s*Windows/ });
  await expect(windows).toContainText('0.3 GiB');
  await expect(windows).toContainText('NTFS');
  await expect(page.getByText('is taken for the Windows volume')).toBeVisible();
  await expect(page.locator('.cluster-map')).toHaveCount(3); // Windows, Recovery, X-ray archive

  await page.getByRole('button', { name: 'See the diagnosis' }).click();
  await expect(page.getByRole('heading', { level: 1 })).toContainText(
    'because Recovery stands directly behind it',
  );
  await page.getByRole('button', { name: 'Choose the size' }).click();
  await page.getByLabel('New total', { exact: true }).fill('450 MiB');
  await page.getByRole('button', { name: 'Find the routes' }).click();
  // Room for 150 MiB lies behind the data volume, so that moves but need not shrink.
  await expect(page.getByRole('list', { name: 'Steps of the route' })).toContainText('X-ray archive right');
  await page.getByRole('button', { name: /usual way/ }).click();
  await expect(page.getByRole('list', { name: 'Steps of the route' })).not.toContainText('Shrink');
});

test('a sparse image of 1 TiB shows its progress while it is read', async ({ page, request }) => {
  const number = await addJob(request, 'large image');
  await page.goto(`/jobs/${number}/survey`);
  const seen = page.evaluate(
    () =>
      new Promise<boolean>((resolve) => {
        const watch = new MutationObserver(() => {
          if (document.querySelector('[role=progressbar]')) resolve(true);
        });
        watch.observe(document.body, { childList: true, subtree: true });
      }),
  );
  await page.getByTestId('survey-file').setInputFiles(process.env['LARGE_IMAGE']!);
  expect(await seen).toBe(true);
  await expect(page.getByRole('heading', { name: 'What is on the disk' })).toBeVisible();
  await expect(page.getByRole('heading', { level: 2 }).first()).toContainText('1,000.0 GiB');
});

test('images that are not in order are refused in a sentence; one bad copy of the table is used around', async ({
  page,
  request,
}) => {
  const path = test.info().outputPath('broken.img');
  const copy = () => execFileSync('cp', ['--sparse=always', small(), path]);
  const damage = (...offsets: number[]): void => {
    copy();
    const file = openSync(path, 'r+');
    for (const offset of offsets) writeSync(file, Buffer.from([0xaa]), 0, 1, offset);
    closeSync(file);
  };
  const size = statSync(small()).size;
  const alarm = page.getByRole('alert');
  const choose = (file: string) => page.getByTestId('survey-file').setInputFiles(file);
  await page.goto(`/jobs/${await addJob(request)}/survey`);

  damage(512 + 44, size - 512 + 44);
  await choose(path);
  await expect(alarm).toContainText('Neither copy of the partition table can be used');
  copy();
  truncateSync(path, size - 300 * 2 ** 20);
  await choose(path);
  await expect(alarm).toContainText('the file is cut short');
  writeFileSync(path, Buffer.alloc(200_000));
  await choose(path);
  await expect(alarm).toContainText('There is no partition table in this file');
  damage(512 + 44);
  await choose(path);
  await expect(page.getByText('The primary partition table is damaged')).toBeVisible();
});
