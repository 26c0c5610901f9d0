import { createHash } from 'node:crypto';
import type { Page } from '@playwright/test';
import { expect, test } from './test';
import { addJob, addSurveyedJob, chooseText, sampleSurvey } from './survey';

/** The text of the file that a link downloads. */
async function downloaded(page: Page, link: string): Promise<string> {
  const download = page.waitForEvent('download');
  await page.getByRole('link', { name: link }).click();
  let text = '';
  for await (const chunk of await (await download).createReadStream()) text += String(chunk);
  return text;
}

test('the script for the machine is what its sum says; a survey is pasted and downloaded without loss, or is what lsblk prints', async ({
  page,
  request,
}) => {
  await page.goto(`/jobs/${await addJob(request)}/survey`);
  const script = await downloaded(page, 'Download the script');
  expect(script).toContain('It only reads');
  const sum = createHash('sha256').update(script).digest('hex');
  await expect(page.getByText(sum)).toBeVisible();

  await page.getByText(/^Paste a survey document/).click();
  const text = page.getByLabel('Survey document as text');
  await text.fill('{"format": ');
  await page.getByRole('button', { name: 'Take this text' }).click();
  await expect(page.getByRole('alert')).toContainText('is no whole JSON');
  const survey = { ...sampleSurvey(), extra: 'kept' };
  await text.fill(JSON.stringify(survey));
  await page.getByRole('button', { name: 'Take this text' }).click();
  await expect(page.getByRole('heading', { name: 'What is on the disk' })).toBeVisible();
  expect(JSON.parse(await downloaded(page, 'Download the document'))).toEqual(survey);

  const data = 'ebd0a0a2-b9e5-4433-87c0-68b6b72699c7';
  const part = (name: string, start: number, size: number, more: object) => ({
    name,
    type: 'part',
    start: start * 2048,
    size: size * 2 ** 20,
    ...more,
  });
  const output = {
    blockdevices: [
      {
        name: 'sda',
        type: 'disk',
        size: 200 * 2 ** 30,
        serial: 'GT-STICK-1',
        rota: true,
        'log-sec': 512,
        pttype: 'gpt',
        children: [
          part('sda1', 1, 90_000, { parttype: data, fstype: 'ntfs', label: 'Windows', fsused: 85 * 2 ** 30 }),
        ],
      },
    ],
  };
  await page.goto(`/jobs/${await addJob(request, 'boot stick')}/survey`);
  await chooseText(page, 'lsblk.json', JSON.stringify(output));
  await expect(page.getByRole('heading', { level: 2 }).first()).toContainText(
    'Hard disk 200.0 GiB · GPT · serial GT-STICK-1',
  );
  await expect(page.getByText('lsblk does not tell drive letters')).toBeVisible();
});

test('a survey goes out as CSV and comes back without loss; the job keeps both and compares them; one key copies figures', async ({
  page,
  request,
  context,
}) => {
  const number = await addSurveyedJob(request);
  await page.goto(`/jobs/${number}/survey`);
  const csv = await downloaded(page, 'Download as CSV');
  expect(csv.split('\r\n')[0]).toContain('serial');
  await chooseText(page, 'partitions.csv', csv);
  await page.getByRole('link', { name: /What changed since the one before \(2 surveys\)/ }).click();
  await expect(page.getByRole('heading', { level: 1 })).toHaveText('Nothing changed between the two surveys');
  // A third one, with D: smaller: it is told in a table and by two strips.
  const smaller = sampleSurvey();
  smaller.disks[0]!.partitions[2]!['sectors'] = 200 * 1024 * 2048;
  (smaller.disks[0]!.partitions[2]!['volume'] as { size: number }).size = 200 * 2 ** 30;
  await page.getByRole('link', { name: 'Back to the survey' }).click();
  await chooseText(page, 'survey.json', JSON.stringify(smaller));
  await page.getByRole('link', { name: /\(3 surveys\)/ }).click();
  await expect(page.getByRole('heading', { level: 1 })).toHaveText('What changed between two surveys');
  await expect(page.getByRole('row').filter({ hasText: 'Catalogue' })).toContainText('200.0 GiB');

  await context.grantPermissions(['clipboard-read', 'clipboard-write']);
  await page.goto('/jobs/2614/survey');
  await page.getByRole('button', { name: 'D: Archive', exact: true }).focus();
  await page.keyboard.press('c');
  await expect(page.getByRole('status')).toHaveText('Copied the figures of partition 5, D: Archive.');
  const copied = await page.evaluate(() => navigator.clipboard.readText());
  expect(copied).toContain('Disk 0, serial GT-7Q2F-0081: partition 5, D: Archive');
  expect(copied).toMatch(/Size: 365,262 MiB · [\d,]+ sectors/);
});

test('a survey by hand: two figures fix the third, going back, and what does not fit', async ({
  page,
  request,
}) => {
  await page.goto(`/jobs/${await addJob(request)}/survey`);
  await page.getByRole('link', { name: 'Write it by hand' }).click();
  await page.getByRole('button', { name: /A newer machine/ }).click();
  const column = page.getByRole('listitem').filter({ has: page.getByText('partition 5', { exact: true }) });
  const [size, start, end] = ['Size', 'Start', 'End'].map((name) => column.getByLabel(name, { exact: true }));
  const began = await start!.inputValue();
  await size!.fill('100 GB');
  await size!.press('Enter');
  await expect(size!).toHaveValue('100 GiB');
  await expect(start!).toHaveValue(began);
  await end!.fill('a lot');
  await end!.press('Enter');
  await expect(column).toContainText('“a lot” is not a size');
  await end!.press('Escape');
  await column.getByLabel('Used').fill('200 GiB');
  await column.getByLabel('Used').press('Enter');
  await expect(column.getByRole('alert')).toContainText('more than the volume');
  await expect(page.getByRole('button', { name: 'Keep this survey' })).toBeDisabled();
  await page.getByRole('button', { name: 'Undo' }).click();
  await page.getByRole('heading', { level: 1 }).click();
  await page.keyboard.press('Control+z');
  await expect(size!).not.toHaveValue('100 GiB');
  await page.keyboard.press('Control+y');
  await expect(size!).toHaveValue('100 GiB');
  await page.getByRole('button', { name: 'Partition here' }).first().click();
  await expect(page.getByText('partition 6', { exact: true })).toBeVisible();
  await page.getByRole('button', { name: 'Keep this survey' }).click();
  await expect(page.getByRole('heading', { name: 'What is on the disk' })).toBeVisible();
  await expect(page.getByText('by hand ·')).toBeVisible();
  await page.reload();
  await expect(page.getByRole('listitem').filter({ hasText: 'partition 5' })).toContainText('100.0 GiB');
});
