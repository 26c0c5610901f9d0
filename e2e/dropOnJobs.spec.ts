import type { Page } from '@playwright/test';
import { expect, test } from './test';
import { writeFileSync } from 'node:fs';
import { basename } from 'node:path';
import { sampleSurvey } from './survey';

/** Drags a file from outside onto the page and lets go. @param meanwhile looks at the page while the file hangs over it */
async function drop(page: Page, path: string, meanwhile?: () => Promise<void>): Promise<void> {
  const browser = await page.context().newCDPSession(page);
  const data = { items: [], files: [path], dragOperationsMask: 1 };
  for (const type of ['dragEnter', 'dragOver', 'drop'] as const) {
    if (type === 'drop') await meanwhile?.();
    await browser.send('Input.dispatchDragEvent', { type, x: 640, y: 700, data });
  }
}

test.beforeEach(async ({ page }) => {
  await page.goto('/');
  await page.locator('html[data-live]').waitFor({ state: 'attached' });
});

test('a survey dropped anywhere on Jobs begins a job that is named after its machine', async ({ page }) => {
  const survey = sampleSurvey();
  survey.machine.name = 'Salt Pan Archive, reading room';
  const path = test.info().outputPath('survey.json');
  writeFileSync(path, JSON.stringify(survey));
  await drop(page, path, () => expect(page.getByText('Let go: this begins a job')).toBeVisible());
  await expect(page.getByRole('heading', { name: 'What is on the disk' })).toBeVisible();
  await expect(page.getByRole('banner')).toContainText('Salt Pan Archive, reading room');
});

test('a disk image dropped there is read in the browser and begins a job that is named after the file', async ({
  page,
}) => {
  const path = process.env['SMALL_IMAGE']!;
  await drop(page, path);
  await expect(page.getByRole('heading', { name: 'What is on the disk' })).toBeVisible();
  await expect(page.getByRole('banner')).toContainText(basename(path).replace(/[.][^.]+$/, ''));
  await expect(page.getByRole('listitem').filter({ hasText: /^\s*Windows/ })).toContainText('NTFS');
});

test('what is neither a survey nor an image is said so, and no job is begun', async ({ page }) => {
  const count = async () =>
    ((await (await page.request.get('/api/v1/jobs')).json()) as { total: number }).total;
  const before = await count();
  const path = test.info().outputPath('note.txt');
  writeFileSync(path, 'two buckets and a mop');
  await drop(page, path);
  await expect(page.getByRole('alert')).toContainText('neither a survey document');
  expect(await count()).toBe(before);
});
