import { writeFileSync } from 'node:fs';
import { expect, live, test } from './test';
import { addJob, addSurveyedJob, chooseText, sampleSurvey } from './survey';

test('Jobs finds the demo jobs by number, each with a basin and its stage; an unknown job says so', async ({
  page,
}) => {
  for (const [number, customer, stage] of [
    ['2614', 'Tern Street Clinic', 'Route'],
    ['2613', 'Harbour Ferry Office', 'Diagnosis'],
    ['2610', 'Old Lighthouse Museum', 'Target'],
    ['2608', 'Tern Street Clinic', 'Work sheet'],
    ['2607', 'Harbour Ferry Office', 'Done'],
  ]) {
    await page.goto(`/?q=${number}`);
    const row = page.getByRole('listitem').filter({ hasText: number! });
    await expect(row).toContainText(customer!);
    await expect(row.getByRole('img', { name: /C: is [49]\d % full/ })).toBeVisible();
    await expect(row).toContainText(stage!);
  }
  const reply = await page.goto('/jobs/99999/route');
  expect(reply!.status()).toBe(404);
  await expect(page.getByRole('heading')).toHaveText('There is no job 99999.');
});

test('a job goes from a survey document to a drawn route, and is found again', async ({ page }) => {
  await page.goto('/');
  await page.getByRole('link', { name: 'New job' }).click();
  await page.getByRole('button', { name: 'Add the job' }).click();
  await expect(page.getByText('Say whose machine it is.')).toBeVisible();
  await page.getByLabel('Customer').fill('Salt Pan Library');
  await page.getByLabel('Machine').fill('catalogue');
  await page.getByRole('button', { name: 'Add the job' }).click();

  await expect(page.getByRole('heading', { name: 'This job needs a survey' })).toBeVisible();
  await chooseText(page, 'survey.json', JSON.stringify(sampleSurvey()));
  await expect(page.getByRole('heading', { name: 'What is on the disk' })).toBeVisible();
  const column = page.getByRole('listitem').filter({ hasText: 'D: Catalogue' });
  await expect(column).toContainText('300.0 GiB');
  await expect(column).toContainText('60.0 GiB · 20 %');
  await expect(column).toContainText('at 103,001 MiB');

  await page.getByRole('button', { name: 'See the diagnosis' }).click();
  await expect(page.getByRole('heading', { level: 1 })).toHaveText(
    'Windows cannot extend C: now, because Recovery stands directly behind it.',
  );
  const cards = page.getByRole('article');
  await expect(cards.nth(0)).toContainText('Recovery is an obstacle');
  await expect(cards.nth(1)).toContainText('to spare inside Catalogue (D:)');

  await page.getByRole('button', { name: 'Choose the size' }).click();
  const total = page.getByLabel('New total', { exact: true });
  await total.fill('150000 MB');
  await expect(page.getByLabel('Amount added')).toHaveValue('+47600 MiB');
  await page.getByLabel('Amount added').fill('+50');
  await expect(total).toHaveValue('150 GiB');
  await expect(page.getByText('exactly 153,600 MiB')).toBeVisible();
  await page.getByRole('button', { name: 'Find the routes' }).click();

  await expect(page.getByRole('heading', { name: 'Grow C: from 100.0 GiB to 150.0 GiB' })).toBeVisible();
  await page.getByRole('button', { name: /^Shrink Catalogue, shift .* usual way/ }).click();
  await expect(page.getByRole('button', { name: 'This route is chosen' })).toBeVisible();
  const steps = page.getByRole('list', { name: 'Steps of the route' });
  for (const step of [
    'Catalogue by 50.0 GiB',
    'Catalogue right 50.0 GiB',
    'Recovery right 50.0 GiB',
    'Windows by 50.0 GiB',
  ]) {
    await expect(steps).toContainText(step);
  }
  // 60 GiB moved, 0.4 GiB of recovery, and ceil(60 x 50 / 300) = 10 GiB out of the end that is given up.
  await expect(page.getByRole('complementary')).toContainText('Data copied 70.4 GiB');

  await page.reload();
  await expect(page.getByRole('heading', { name: 'Grow C: from 100.0 GiB to 150.0 GiB' })).toBeVisible();
  await expect(page.getByRole('complementary')).toContainText('Data copied 70.4 GiB');
});

test('the chart is walked through by keyboard, a table says the same, and true scale draws it in proportion', async ({
  page,
}) => {
  await page.goto('/jobs/2614/route');
  await page.getByRole('button', { name: /^As found: EFI/ }).focus();
  for (const key of ['End', 'ArrowDown', 'ArrowDown', 'ArrowLeft']) await page.keyboard.press(key);
  await expect(page.getByRole('contentinfo')).toContainText('after step 2');
  await expect(page.getByRole('contentinfo')).toContainText('MiB');
  await page.getByText('The same as a table').click();
  const rows = page.getByRole('table').getByRole('row');
  const job = await (await page.request.get('/api/v1/jobs/2614')).json();
  await expect(rows).toHaveCount(1 + job.answer.routes[job.chosen].steps.length);
  const shown = await page.getByRole('list', { name: 'Steps of the route' }).locator('b').allTextContents();
  expect(await rows.locator('td b').allTextContents()).toEqual(shown);

  const width = async () => (await page.locator('[data-spot="0-p3"]').boundingBox())!.width;
  const legible = await width();
  await page.getByText('True scale').click();
  // What the small partitions took on the legible scale goes back to the large ones.
  await expect.poll(width).toBeGreaterThan(legible);
  const archive = (await page.locator('[data-spot="0-p5"]').boundingBox())!.width;
  expect((await width()) / archive).toBeCloseTo(119 / 356.7, 1);
});

test('another target makes goal and route stale; of two windows on one job the later save is refused, with a choice', async ({
  context,
  page,
  request,
}) => {
  const number = await addSurveyedJob(request);
  const asked = await request.put(`/api/v1/jobs/${number}/goal`, {
    data: { version: 2, size: 120 * 2 ** 30, keepFreePercent: 10 },
  });
  expect(asked.status()).toBe(200);
  await page.goto(`/jobs/${number}/survey`);
  await page.getByRole('button', { name: 'Grow D: Catalogue' }).click();
  const path = page.getByRole('navigation', { name: 'Path of the job' });
  await expect(path.getByRole('link', { name: /Route/ })).toContainText('stale');
  await page.getByRole('button', { name: 'Grow C: Windows' }).click();
  await expect(path.getByRole('link', { name: /Route/ })).not.toContainText('stale');

  const second = live(await context.newPage());
  await second.goto(`/jobs/${number}/survey`);
  await page.getByRole('button', { name: 'Grow D: Catalogue' }).click();
  await expect(page.getByRole('button', { name: 'Grow D: Catalogue' })).toHaveAttribute(
    'aria-pressed',
    'true',
  );

  await second.getByRole('button', { name: 'Grow D: Catalogue' }).click();
  await expect(second.getByRole('alert')).toContainText('Nothing was overwritten');
  await expect(second.getByRole('button', { name: 'Grow C: Windows' })).toHaveAttribute(
    'aria-pressed',
    'true',
  );
  await second.getByRole('button', { name: 'Save mine over it' }).click();
  await expect(second.getByRole('button', { name: 'Grow D: Catalogue' })).toHaveAttribute(
    'aria-pressed',
    'true',
  );
  await expect(second.getByRole('alert')).toHaveCount(0);
});

test('the slider goes to the most by keyboard, sizes that can’t be are refused at their field, and a goal out of reach names the most', async ({
  page,
  request,
}) => {
  const number = await addSurveyedJob(request);
  await page.goto(`/jobs/${number}/target`);
  await page.getByRole('slider').focus();
  await page.keyboard.press('End');
  await expect(page.getByText('most 333.3 GiB')).toBeVisible();
  const most = /exactly ([\d,.]+) MiB/.exec((await page.locator('#goal-says').textContent())!)![1];
  await expect(page.locator('#goal-limits')).toContainText(`${most} MiB`);
  await page.getByRole('button', { name: 'Find the routes' }).click();
  await expect(page.getByRole('complementary')).toContainText('Catalogue (D:) free afterwards');

  await page.goto(`/jobs/${number}/target`);
  const total = page.getByLabel('New total', { exact: true });
  for (const [text, says] of [
    ['a lot', 'is not a size'],
    ['90 GiB', 'A target is never made smaller'],
    ['51,200 MB', 'can be read in two ways'],
    ['12 bushels', 'is not a unit here'],
  ] as const) {
    await total.fill(text);
    await expect(page.getByText(says)).toBeVisible();
    await expect(total).toHaveAttribute('aria-invalid', 'true');
    await expect(page.getByRole('button', { name: 'Find the routes' })).toBeDisabled();
  }
  await total.fill('2 TiB');
  await expect(page.getByText('is more than the most')).toBeVisible();
  await page.getByRole('button', { name: 'Find the routes' }).click();
  await expect(
    page.getByRole('heading', { name: /2,048.0 GiB cannot be reached\. The most is 333\.3 GiB/ }),
  ).toBeVisible();
  await expect(page.getByRole('article')).toContainText('Catalogue (D:) shrunk as far as allowed');
});

test('bad survey documents are refused with the place, and nothing is saved; a good one may be dropped', async ({
  page,
  request,
}) => {
  const number = await addJob(request);
  await page.goto(`/jobs/${number}/survey`);
  const refused = async (text: string, says: RegExp, name = 'survey.json') => {
    await chooseText(page, name, text);
    await expect(page.getByRole('alert')).toContainText(says);
  };
  await refused('{"format": "gentle-tide/sur', /no whole JSON/);
  await refused('{"format": "something"}', /“version” is missing/);
  const overlap = sampleSurvey();
  overlap.disks[0]!.partitions[1]!['first'] = 4096;
  await refused(JSON.stringify(overlap), /Partitions may not overlap/);
  const text = sampleSurvey();
  text.disks[0]!.partitions[1]!['sectors'] = 'many';
  await refused(JSON.stringify(text), /“sectors” must be a whole number, not "many"/);
  await refused('just words', /neither a survey document .* nor a disk image/, 'notes.txt');
  await refused(
    JSON.stringify({ filler: 'x'.repeat(10 * 2 ** 20) }),
    /10\.0 MiB of text\. A survey document has 4 MiB at most/,
  );
  const job = (await (await request.get(`/api/v1/jobs/${number}`)).json()) as {
    version: number;
    survey: unknown;
  };
  expect(job).toMatchObject({ version: 1, survey: null });

  const path = test.info().outputPath('survey.json');
  writeFileSync(path, JSON.stringify(sampleSurvey()));
  const box = (await page.getByRole('group', { name: 'Drop a file here' }).boundingBox())!;
  const browser = await page.context().newCDPSession(page);
  const data = { items: [], files: [path], dragOperationsMask: 1 };
  for (const type of ['dragEnter', 'dragOver', 'drop'] as const) {
    await browser.send('Input.dispatchDragEvent', { type, x: box.x + 40, y: box.y + 40, data });
  }
  await expect(page.getByRole('heading', { name: 'What is on the disk' })).toBeVisible();
});
