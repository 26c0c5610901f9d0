import type { Page } from '@playwright/test';
import { expect, test } from './test';
import { writeFileSync } from 'node:fs';
import { basename } from 'node:path';
import { sampleSurvey } from './survey';

/**
 * Drags a file from outside onto the page and lets go. @param meanwhile looks at the page while the file hangs over it
 */
async function drop(page: Page, path: string, meanwhile?: () => Promise<void>): Promise<void> {
  const browser = await page.context().newCDPSession(page);
  const data = { items: [], files: [path], dragOperationsMask: 1 };
  for (const type of ['dragEnter', 'dragOver', 'drop'] as const) {
    if (type === 'drop') await meanwhile?.();
    await browser.send('Input.dispatchDragEvent', { type, x: 640, y: 700, data });
  }
}

test('a survey or an image dropped anywhere on Jobs begins a job; what is neither is said so', async ({
  page,
}) => {
  await page.goto('/');
  const count = async () =>
    ((await (await page.request.get('/api/v1/jobs')).json()) as { total: number }).total;
  const before = await count();
  const note = test.info().outputPath('note.txt');
  writeFileSync(note, 'two buckets and a mop');
  await drop(page, note);
  await expect(page.getByRole('alert')).toContainText('neither a survey document');
  expect(await count()).toBe(before);

  const survey = sampleSurvey();
  survey.machine.name = 'Salt Pan Archive, reading room';
  const path = test.info().outputPath('survey.json');
  writeFileSync(path, JSON.stringify(survey));
  await drop(page, path, () => expect(page.getByText('Let go: this begins a job')).toBeVisible());
  await expect(page.getByRole('heading', { name: 'What is on the disk' })).toBeVisible();
  await expect(page.getByRole('banner')).toContainText('Salt Pan Archive, reading room');

  // A job from an image is named after the file.
  await page.goto('/');
  const image = process.env['SMALL_IMAGE']!;
  await drop(page, image);
  await expect(page.getByRole('heading', { name: 'What is on the disk' })).toBeVisible();
  await expect(page.getByRole('banner')).toContainText(basename(image).replace(/[.][^.]+$/, ''));
  await expect(page.getByRole('listitem').filter({ hasText: /^\s*Windows/ })).toContainText('NTFS');
});
