import { expect, test } from './test';
import { writeFileSync } from 'node:fs';
import { sampleSurvey } from './survey';

test.beforeEach(async ({ page }) => {
  await page.goto('/');
  await page.locator('html[data-live]').waitFor({ state: 'attached' });
});

test('a survey dropped anywhere on Jobs begins a job that is named after its machine', async ({ page }) => {
  const survey = sampleSurvey();
  survey.machine.name = 'Salt Pan Archive, reading room';
  const path = test.info().outputPath('survey.json');
  writeFileSync(path, JSON.stringify(survey));
  const browser = await page.context().newCDPSession(page);
  const data = { items: [], files: [path], dragOperationsMask: 1 };
  const drag = (type: 'dragEnter' | 'dragOver' | 'drop') =>
    browser.send('Input.dispatchDragEvent', { type, x: 640, y: 700, data });
  await drag('dragEnter');
  await drag('dragOver');
  await expect(page.getByText('Let go: this begins a job')).toBeVisible();
  await drag('drop');
  await expect(page.getByRole('heading', { name: 'What is on the disk' })).toBeVisible();
  await expect(page.getByRole('banner')).toContainText('Salt Pan Archive, reading room');
});

test('what is neither a survey nor an image is said so, and no job is begun', async ({ page }) => {
  const count = async () =>
    ((await (await page.request.get('/api/v1/jobs')).json()) as { total: number }).total;
  const before = await count();
  const path = test.info().outputPath('note.txt');
  writeFileSync(path, 'two buckets and a mop');
  const browser = await page.context().newCDPSession(page);
  const data = { items: [], files: [path], dragOperationsMask: 1 };
  for (const type of ['dragEnter', 'dragOver', 'drop'] as const) {
    await browser.send('Input.dispatchDragEvent', { type, x: 640, y: 400, data });
  }
  await expect(page.getByRole('alert')).toContainText('neither a survey document');
  expect(await count()).toBe(before);
});
