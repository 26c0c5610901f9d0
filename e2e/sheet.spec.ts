import type { APIRequestContext, Page } from '@playwright/test';
import { textOf } from './pdf';
import { expect, live, test } from './test';
import { addSurveyedJob, chooseText, sampleSurvey, surveyLater } from './survey';

interface Sheet {
  id: number;
  document: {
    title: string;
    asFound: Piece[];
    runs: { parts: { steps: Step[] }[] }[];
    promise: { partitions: { number: number; first: number; sectors: number }[] };
  };
}
interface Step {
  id: string;
  title: string;
  see: { pieces: Piece[] };
  figures: { bytes: number }[];
}
interface Piece {
  number: number | null;
  first: number;
  sectors: number;
}
const stepsOf = ({ document }: Sheet): Step[] =>
  document.runs.flatMap((run) => run.parts.flatMap((part) => part.steps));
const sheetOf = async (request: APIRequestContext, number: number): Promise<Sheet> => {
  const [newest] = (await (await request.get(`/api/v1/jobs/${number}/sheets`)).json()) as { id: number }[];
  return (await (await request.get(`/api/v1/jobs/${number}/sheets/${newest!.id}`)).json()) as Sheet;
};

/** A job whose work sheet is made: by a live mover, Archive kept as it is. */
async function withSheet(request: APIRequestContext, survey: unknown = sampleSurvey()): Promise<number> {
  const number = await addSurveyedJob(request, survey);
  const options = { kits: ['live-mover'] };
  const goal = { version: 2, size: 150 * 2 ** 30, keepFreePercent: 10, options };
  expect((await request.put(`/api/v1/jobs/${number}/goal`, { data: goal })).status()).toBe(200);
  const { answer } = (await (await request.get(`/api/v1/jobs/${number}`)).json()) as {
    answer: { routes: { steps: { verb: string }[] }[] };
  };
  const chosen = answer.routes.findIndex((route) => route.steps.every((step) => step.verb !== 'copy'));
  await request.put(`/api/v1/jobs/${number}/route`, { data: { version: 3, chosen } });
  expect((await request.post(`/api/v1/jobs/${number}/sheets`, { data: { version: 4 } })).status()).toBe(200);
  return number;
}

/** Ticks the item that is open. */
async function done(page: Page): Promise<void> {
  const open = page.locator('li.open');
  for (const label of ['Where it is kept', 'From when it is', 'How it was seen that it can be read']) {
    const field = open.getByLabel(label);
    if (await field.isVisible()) await field.fill(`${label}: yes`);
  }
  const id = await open.getAttribute('id');
  await open.getByRole('button', { name: 'Done', exact: true }).click();
  await expect(page.locator(`#${id}.open`)).toHaveCount(0);
}
const ticked = (page: Page) => page.getByRole('progressbar', { name: 'Progress of the sheet' });

test('a whole job, from survey to customer report, with a failed step and a new plan in the middle', async ({
  page,
  request,
}) => {
  const survey = (await (await request.get('/api/v1/jobs/2614/survey')).json()) as ReturnType<
    typeof sampleSurvey
  >;
  await page.goto('/jobs/new');
  await page.getByLabel('Customer').fill('Tern Street Clinic');
  await page.getByLabel('Machine').fill('X-ray viewer, second visit');
  await page.getByRole('button', { name: 'Add the job' }).click();
  await chooseText(page, 'survey.json', JSON.stringify(survey));
  await page.getByRole('button', { name: 'See the diagnosis' }).click();
  await page.getByRole('button', { name: 'Choose the size' }).click();
  const number = Number(new URL(page.url()).pathname.split('/')[2]);

  const plan = async (): Promise<void> => {
    await page.getByLabel('New total', { exact: true }).fill('200 GiB');
    for (const kit of ['Windows only', 'Offline mover']) {
      const box = page.getByRole('checkbox', { name: kit });
      if (await box.isChecked()) await box.uncheck();
    }
    await page.getByRole('button', { name: 'Find the routes' }).click();
    await expect(page.getByRole('heading', { name: /Routes found/ })).toBeVisible();
    const card = page.getByRole('button', { name: /^(Shrink Archive, )?[Ss]hift [^,]*$/ }).first();
    await card.click();
    const choose = page.getByRole('button', { name: 'Choose this route' });
    if (await choose.isVisible()) await choose.click();
    await page.getByRole('link', { name: /work sheet/ }).click();
    const make = page.getByRole('button', { name: /^Make (the work sheet|a new sheet)/ });
    await make.click();
    // The sheet of before, if any, has no item open: from here on it is the new one.
    await expect(page.locator('li.open')).toHaveCount(1);
  };
  await plan();
  await page.getByLabel('Who is at the machine').fill('Ida Brack');
  await page.getByLabel('Who is at the machine').blur();

  const first = await sheetOf(request, number);
  const steps = stepsOf(first);
  const opened = page.locator('li.open');
  while ((await opened.getAttribute('id')) !== 'step-2') await done(page);
  // The first step is done; the second fails, which must be said in words.
  await opened.getByRole('button', { name: 'It failed' }).click();
  await expect(opened.getByRole('alert')).toContainText('Say in the note what happened');
  await opened.getByLabel('Note').fill('The mover found a bad sector and gave up.');
  await opened.getByRole('button', { name: 'It failed' }).click();
  await expect(page.getByText(`“${steps[1]!.title}” failed.`)).toBeVisible();
  await page.getByRole('link', { name: 'Give a new survey' }).click();

  const between = surveyLater(survey, steps[0]!.see.pieces, '2026-11-20T13:00:00Z');
  await chooseText(page, 'survey.json', JSON.stringify(between));
  await expect(page.getByText(/2 surveys/)).toBeVisible();
  await page.goto(`/jobs/${number}/sheet`);
  await expect(page.getByText('Do not work from this sheet.')).toBeVisible();
  await expect(page.getByRole('link', { name: 'PDF, A4' })).toHaveCount(0);
  expect((await request.get(`/api/v1/jobs/${number}/sheets/${first.id}/sheet.pdf`)).status()).toBe(409);
  await page.getByRole('link', { name: 'Plan on from the newest survey' }).click();
  await plan();

  const second = await sheetOf(request, number);
  // What was done is not done again: Archive has its new size already.
  expect(stepsOf(second)[0]!.title).not.toBe(steps[0]!.title);
  while ((await opened.count()) > 0) await done(page);
  await expect(page.getByText('all done; now the proof')).toBeVisible();
  await page.getByRole('link', { name: 'Proof' }).click();

  const stranger = surveyLater(
    between,
    second.document.promise.partitions,
    '2026-11-20T18:00:00Z',
  ) as unknown as {
    disks: { serial: string }[];
  };
  stranger.disks[0]!.serial = 'GT-OTHER-1';
  await chooseText(page, 'other.json', JSON.stringify(stranger));
  await expect(page.getByRole('alert')).toContainText('does not show the disk that was worked on');
  const after = surveyLater(between, second.document.promise.partitions, '2026-11-20T18:00:00Z');
  await chooseText(page, 'after.json', JSON.stringify(after));
  await expect(page.getByText('Everything is where it was promised')).toBeVisible();
  await expect(page.getByText('C: now has 200.0 GiB, and everything is still there.')).toBeVisible();

  const report = await page.request.get(`/api/v1/jobs/${number}/report.pdf`);
  const text = textOf(await report.body());
  expect(text).toContain('C: now has 200.0 GiB, and everything is still there.');
  expect(text).toContain('Done by Ida Brack.');
  expect(text).toContain('1 of 1');
  await page.getByRole('link', { name: `Job ${number}` }).click();
  const history = page.getByRole('region', { name: 'History' });
  for (const entry of [
    'Failed on',
    'bad sector',
    'Work sheet made',
    'held against the work sheet: proved',
    'Ida Brack',
  ])
    await expect(history.getByText(entry).first()).toBeVisible();
  await page.goto(`/?q=${number}`);
  await expect(page.getByText('proved; ready to be handed back')).toBeVisible();
});

test('the PDF holds every figure of the sheet, on either paper; two manifests are compared, one of another machine is refused', async ({
  page,
  request,
}) => {
  const number = await withSheet(request);
  const sheet = await sheetOf(request, number);
  // Whole MiB, as a tool takes them; what is left over stands beside in sectors.
  const mib = (bytes: number): string => {
    const rest = bytes % 2 ** 20;
    const left = rest === 0 ? '' : ` + ${(rest / 512).toLocaleString('en-GB')} sectors`;
    return `${((bytes - rest) / 2 ** 20).toLocaleString('en-GB')} MiB${left}`;
  };
  for (const paper of ['a4', 'letter']) {
    const reply = await request.get(`/api/v1/jobs/${number}/sheets/${sheet.id}/sheet.pdf?paper=${paper}`);
    expect(reply.headers()['content-type']).toBe('application/pdf');
    const text = textOf(await reply.body());
    for (const step of stepsOf(sheet)) {
      expect(text).toContain(step.title);
      for (const figure of step.figures) expect(text).toContain(mib(figure.bytes));
    }
    for (const heading of ['Before', 'While it runs', 'After', 'If it goes wrong', 'GT-E2E-0001', 'Commit'])
      expect(text).toContain(heading);
  }
  const markdown = await (await request.get(`/api/v1/jobs/${number}/sheets/${sheet.id}/sheet.md`)).text();
  for (const step of stepsOf(sheet)) expect(markdown).toContain(step.title);

  await page.goto(`/jobs/${number}/proof`);
  const manifest = (takenAt: string, disk: string, lines: string[]) => {
    const head = {
      format: 'gentle-tide/manifest',
      version: 1,
      takenAt,
      machine: 'SALTPAN',
      disks: [disk],
      folders: ['D:\\'],
    };
    const tail = { files: lines.length, bytes: lines.length * 5 };
    return {
      name: 'files.txt',
      mimeType: 'text/plain',
      buffer: Buffer.from([JSON.stringify(head), ...lines, JSON.stringify(tail), ''].join('\r\n')),
    };
  };
  const file = (path: string, digit: string): string => `${digit.repeat(64)}\t5\tD:\\${path}`;
  const before = [file('catalogue.db', 'A'), file('cards\\ä.txt', 'B'), file('old.log', 'C')];
  const [first, second] = [
    page.getByLabel('Manifest from before the work'),
    page.getByLabel('Manifest from after the work'),
  ];
  const compare = page.getByRole('button', { name: 'Compare the files' });
  await compare.click();
  await expect(page.getByRole('alert')).toContainText('Choose both manifests');
  await first.setInputFiles(manifest('2026-11-20T10:00:00Z', 'GT-E2E-0001', before));
  await second.setInputFiles(manifest('2026-11-21T10:00:00Z', 'GT-NOT-HERE', before));
  await compare.click();
  await expect(page.getByRole('alert')).toContainText('is of another machine');
  await second.setInputFiles(manifest('2026-11-21T10:00:00Z', 'GT-E2E-0001', before.slice(0, 2)));
  await compare.click();
  await expect(page.getByText('Files are missing')).toBeVisible();
  await page.getByText('1 missing').click();
  await expect(page.getByText('D:\\old.log')).toBeVisible();
  await second.setInputFiles(manifest('2026-11-21T10:00:00Z', 'GT-E2E-0001', before));
  await compare.click();
  await expect(page.getByText('Every file is as it was')).toBeVisible();
  await page.reload();
  await expect(page.getByText('3 of 3 files are the same bit for bit')).toBeVisible();
});

test('ticked off at tablet size, without the server for a while and through a second device', async ({
  page,
  context,
  request,
}) => {
  const number = await withSheet(request);
  await page.setViewportSize({ width: 768, height: 1024 });
  await page.goto(`/jobs/${number}/sheet`);
  const open = page.locator('li.open');
  const target = await open.getByRole('button', { name: 'Done', exact: true }).boundingBox();
  expect(Math.min(target!.width, target!.height)).toBeGreaterThanOrEqual(48);

  await open.getByRole('button', { name: 'Done', exact: true }).click();
  await expect(open.getByRole('alert')).toContainText('Say who you are first');
  await page.getByLabel('Who is at the machine').fill('Jo Pell');
  await page.getByLabel('Who is at the machine').blur();
  await open.getByRole('button', { name: 'Done', exact: true }).click();
  await expect(open.getByRole('alert')).toContainText('Write down: where it is kept');

  await context.setOffline(true);
  await done(page);
  await done(page);
  await expect(page.getByText(/2 ticks are kept on this device/)).toBeVisible();
  await expect(ticked(page)).toHaveAttribute('aria-valuenow', '2');
  await context.setOffline(false);
  await expect(page.getByText(/kept on this device/)).toHaveCount(0);
  const saved = (await (await request.get(`/api/v1/jobs/${number}`)).json()) as { sheet: { done: number } };
  expect(saved.sheet.done).toBe(2);

  // Another device shows them, and what it ticks comes back here.
  const other = live(await context.newPage());
  await other.goto(`/jobs/${number}/sheet`);
  await expect(ticked(other)).toHaveAttribute('aria-valuenow', '2');
  await done(other);
  await expect(ticked(page)).toHaveAttribute('aria-valuenow', '3');

  // A step waits for what comes before it; its clock is kept through a reload.
  await page.locator('#step-1 .head').click();
  await open.getByRole('button', { name: 'Start the clock' }).click();
  await open.getByRole('button', { name: 'Done', exact: true }).click();
  await expect(open.getByRole('alert')).toContainText('First:');
  await page.reload();
  await page.locator('#step-1 .head').click();
  await expect(open.getByRole('button', { name: 'Drop the clock' })).toBeVisible();
});

test('a sheet waits for a word once the goal of its job is another, with what was ticked kept', async ({
  page,
  request,
}) => {
  const number = await withSheet(request);
  await page.goto(`/jobs/${number}/sheet`);
  await page.getByLabel('Who is at the machine').fill('Ida');
  await page.getByLabel('Who is at the machine').blur();
  await done(page);
  const { version } = (await (await request.get(`/api/v1/jobs/${number}`)).json()) as { version: number };
  const goal = { version, size: 160 * 2 ** 30, keepFreePercent: 10, options: { kits: ['live-mover'] } };
  expect((await request.put(`/api/v1/jobs/${number}/goal`, { data: goal })).status()).toBe(200);
  await page.reload();
  await expect(page.getByText('Do not work from this sheet.')).toBeVisible();
  await expect(
    page.getByText('This sheet leads to 150.0 GiB, and the goal of the job is 160.0 GiB'),
  ).toBeVisible();
  const paper = async () => {
    const { id } = await sheetOf(request, number);
    return (await request.get(`/api/v1/jobs/${number}/sheets/${id}/sheet.pdf`)).status();
  };
  expect(await paper()).toBe(409);
  await expect(page.getByRole('link', { name: 'PDF, A4' })).toHaveCount(0);
  const open = page.locator('li.open');
  await open.getByRole('button', { name: 'It failed' }).click();
  await expect(open.getByRole('alert')).toContainText('Say at the top first');
  await page.getByRole('button', { name: 'Work from this sheet all the same' }).click();
  await expect(page.getByText('Worked from all the same.', { exact: true })).toBeVisible();
  await expect(ticked(page)).toHaveAttribute('aria-valuenow', '1');
  await done(page);
  await expect(ticked(page)).toHaveAttribute('aria-valuenow', '2');
  expect(await paper()).toBe(200);
});

test('a job is put away, exported, taken over by another bench, and deleted with a word', async ({
  page,
  request,
}) => {
  const number = await withSheet(request);
  await page.goto(`/jobs/${number}/about`);
  await page.getByLabel('Notes').fill('The key is under the mat.');
  await page.getByLabel('Due').fill('2026-11-30');
  await page.getByRole('button', { name: 'Save the details' }).click();
  await expect(page.getByRole('status')).toHaveText('Saved.');
  await page.getByRole('button', { name: 'Put into the archive' }).click();
  await expect(page.getByRole('status')).toContainText('nothing of it is lost');
  await page.goto('/?q=mat&show=archived');
  await expect(page.getByRole('link', { name: new RegExp(String(number)) })).toBeVisible();

  const packed = await (await request.get(`/api/v1/jobs/${number}/export`)).body();
  const zip = (buffer: Buffer) => ({ name: 'job.zip', mimeType: 'application/zip', buffer });
  const field = page.getByLabel('Take over from another bench');
  await field.setInputFiles(zip(packed.subarray(0, 400)));
  await expect(page.getByRole('alert')).toContainText('was not taken over');
  await field.setInputFiles(zip(packed));
  await expect(page.getByText(`Taken over from another bench, where it was job ${number}.`)).toBeVisible();
  const taken = new URL(page.url()).pathname.split('/')[2]!;
  expect(taken).not.toBe(String(number));
  await expect(page.getByLabel('Notes')).toHaveValue('The key is under the mat.');
  await page.goto(`/jobs/${taken}/sheet`);
  await expect(ticked(page)).toBeVisible();

  await page.goto(`/jobs/${taken}/about`);
  await page.getByText('Delete this job').click();
  const remove = page.getByRole('button', { name: `Delete job ${taken}` });
  await expect(remove).toBeDisabled();
  await page.getByLabel(/to say that you mean it/).fill(taken);
  await remove.click();
  await expect(page.getByRole('heading', { name: 'Jobs' })).toBeVisible();
  expect((await request.get(`/api/v1/jobs/${taken}`)).status()).toBe(404);
});

test('measured times become rates that the settings offer', async ({ page, request }) => {
  const number = await withSheet(request, { ...sampleSurvey(), takenAt: '2026-11-19T09:30:00Z' });
  const sheet = await sheetOf(request, number);
  const tick = {
    id: crypto.randomUUID(),
    item: 'run-1-commit-1',
    outcome: 'done',
    who: 'Ida',
    at: '2026-11-20T12:00:00.000Z',
    note: '',
    seconds: 400,
    answers: {},
  };
  const path = `/api/v1/jobs/${number}/sheets/${sheet.id}/ticks`;
  expect((await request.post(path, { data: { ticks: [tick] } })).status()).toBe(200);
  await page.goto('/settings');
  const measured = page.getByRole('region', { name: 'Measured here' });
  await expect(measured).toContainText('SATA SSD');
  await expect(measured.getByRole('figure').locator('svg').first()).toBeVisible();
  await measured.getByRole('button', { name: /^Use / }).first().click();
  await expect(page.getByRole('status')).toContainText('It counts once the settings are saved');
  await expect(page.getByRole('button', { name: 'Save the settings' })).toBeEnabled();
});
