import { readFileSync, writeFileSync } from 'node:fs';
import { expect, test } from './test';
import { addJob, addSurveyedJob } from './survey';

test('what fills a volume is walked by keyboard, with the table beside it, and a size is proposed that is enough', async ({
  page,
}) => {
  await page.goto('/jobs/2614/survey');
  await page.getByRole('link', { name: 'What fills it', exact: true }).click();
  await expect(page.getByRole('heading', { level: 1 })).toHaveText('What fills C:');
  const focused = page.locator('.strata :focus');
  await page.getByRole('button', { name: /^All of C:, 112\.6 GiB/ }).focus();
  await page.keyboard.press('ArrowDown');
  await expect(focused).toHaveAccessibleName(/^Windows, 31\.0 GiB, 28 %/);
  await page.keyboard.press('ArrowRight');
  await expect(focused).toHaveAccessibleName(/^Users, /);
  await page.keyboard.press('Enter');
  // Users lies on top now, and the table lists what is in it.
  await expect(focused).toHaveAccessibleName(/^Users, .*100 %/);
  await expect(page.getByRole('navigation', { name: 'Folder' })).toHaveText(/C:\s*\\\s*Users/);
  await expect(page.getByRole('row', { name: /^reception/ })).toBeVisible();
  await page.keyboard.press('ArrowDown');
  await page.keyboard.press('Enter');
  await expect(page.getByRole('row', { name: /^Pictures/ })).toContainText('10.7 GiB');
  await page.keyboard.press('Backspace');
  await page.keyboard.press('Backspace');
  await expect(focused).toHaveAccessibleName(/^All of C:/);

  await page.getByText('Files', { exact: true }).first().click();
  await expect(page.getByRole('row', { name: /^hiberfil\.sys/ })).toContainText('6.4 GiB');
  await page.getByText('By age').click();
  await expect(page.getByRole('row', { name: /^2 to 5 years ago/ })).toBeVisible();
  await page.getByText('Archive (D:)').first().click();
  await expect(page.getByRole('heading', { level: 1 })).toHaveText('What fills Archive (D:)');

  await page.goto('/jobs/2614/target');
  const lasts = page.getByRole('region', { name: 'How long it lasts' });
  await expect(lasts).toContainText(
    'C: fills by 23.7 GiB a year (22.6 GiB to 26.4 GiB): a line through its 6 surveys.',
  );
  await expect(lasts).toContainText('full between Feb 2027 and Mar 2027');
  await lasts.getByRole('button', { name: 'Take 181.0 GiB, enough for two years' }).click();
  await expect(page.getByLabel('New total', { exact: true })).toHaveValue('181 GiB');
  await lasts.getByRole('button', { name: /the fair share/ }).click();
  await expect(page.getByLabel('New total', { exact: true })).toHaveValue('258 GiB');
});

test('a machine that comes back is recognised; what is ticked counts at once, is kept, and becomes the first checks of the work sheet', async ({
  page,
  request,
}) => {
  await page.goto('/?q=2609');
  await expect(page.getByRole('link', { name: /Pinwheel Bakery/ })).toContainText('back, was 2574');
  await page.goto('/jobs/2609/survey');
  await expect(page.getByRole('note')).toContainText(
    'as job 2574. C: had 80.0 GiB then, 95 % full; now it has 110.0 GiB, 94 % full: what it got was not enough.',
  );

  await page.goto('/jobs/2609/survey/holdings');
  const said = page.getByRole('status').filter({ hasText: 'free' });
  await expect(said).toContainText('Nothing is ticked: C: has 6 % free');
  await page.getByRole('checkbox', { name: 'Downloaded updates' }).check();
  await expect(said).toContainText('For 20 % it needs 8.8 GiB more');
  await page.getByRole('checkbox', { name: 'An earlier Windows installation' }).check();
  await expect(said).toContainText('With these, C: has 31 % free (34.6 GiB), and nothing has to move.');
  // In the chart it is told as gone, not by colour alone.
  await expect(
    page.getByRole('button', { name: /^Windows\.old, 21\.4 GiB, 21 %, ticked to go/ }),
  ).toBeVisible();
  await expect
    .poll(async () => (await (await request.get('/api/v1/jobs/2609')).json()).holdings.choices)
    .toEqual([{ disk: 0, partition: 3, goes: ['updates', 'earlier-windows'], moves: [] }]);

  await page.goto('/jobs/2609/target');
  await expect(page.getByText('28.0 GiB go first.')).toBeVisible();
  await page.getByLabel('New total', { exact: true }).fill('150 GiB');
  await page.getByRole('button', { name: 'Find the routes' }).click();
  await page.getByRole('link', { name: /work sheet/ }).click();
  await page.getByRole('button', { name: /^Make the work sheet/ }).click();
  const first = page.locator('li.open');
  await expect(first).toContainText('Free first: An earlier Windows installation, 21.4 GiB on C:');
  await expect(first).toContainText('Lost with it: Going back to that version.');

  // Chosen anew, the sheet is stale.
  await page.goto('/jobs/2609/survey/holdings');
  await page.getByRole('checkbox', { name: 'Downloaded updates' }).uncheck();
  await expect(said).toContainText('25 % free');
  await expect
    .poll(async () => (await (await request.get('/api/v1/jobs/2609')).json()).holdings.choices[0].goes)
    .toEqual(['earlier-windows']);
  await page.goto('/jobs/2609/sheet');
  await expect(page.getByText('What is to be freed first was chosen anew')).toBeVisible();
});

test('a survey and what fills it are given as two files at once; those of another machine are refused', async ({
  page,
  request,
}) => {
  const [survey, holdings] = ['modern', 'holdings'].map((name) =>
    readFileSync(`src/lib/server/collector/test/${name}.json`, 'utf8'),
  ) as [string, string];
  const at = (name: string, text: string): string => {
    const path = test.info().outputPath(name);
    writeFileSync(path, text);
    return path;
  };
  await page.goto(`/jobs/${await addJob(request, 'two files')}/survey`);
  await page.getByTestId('survey-file').setInputFiles([at('a.json', holdings), at('b.json', survey)]);
  await expect(page.getByRole('heading', { name: 'What is on the disk' })).toBeVisible();
  await expect(page.getByRole('region', { name: 'What fills it' })).toContainText(
    'an earlier Windows installation 18.4 GiB',
  );

  await page.goto(`/jobs/${await addSurveyedJob(request)}/survey`);
  await page.getByTestId('survey-file').setInputFiles(at('c.json', holdings));
  await expect(page.getByRole('alert')).toContainText('Are they of this machine, and taken together?');
  await page.getByTestId('survey-file').setInputFiles([at('d.json', holdings), at('e.json', holdings)]);
  await expect(page.getByRole('alert')).toContainText('Two files say the same kind of thing');

  // What fills an image is read with its survey.
  await page.goto(`/jobs/${await addJob(request, 'filled image')}/survey`);
  await page.getByTestId('survey-file').setInputFiles(process.env['SMALL_IMAGE']!);
  await page.getByRole('link', { name: 'What fills it', exact: true }).click();
  await expect(page.getByRole('button', { name: /^All of / })).toBeVisible();
  await expect(page.getByRole('button', { name: /^The file system itself/ })).toBeVisible();
});
