import { expect, takesTurn, test } from './test';
import { addJob, sampleSurvey } from './survey';

interface SurveyDisk {
  partitions: { number: number; volume?: object }[];
}
interface Promised {
  number: number;
  first: number;
  sectors: number;
}

test('a FAT volume that has to grow is converted by Windows, once that is allowed', async ({
  page,
  request,
}) => {
  takesTurn(0, 2);
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
  const chosen = page.waitForResponse(
    (one) => one.url().endsWith('/target') && one.request().method() === 'PUT',
  );
  await page.getByRole('button', { name: /^Grow .*Catalogue/ }).click();
  await chosen;
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

test('room that reaches no volume becomes one of its own, and folders move there', async ({
  page,
  request,
}) => {
  takesTurn(1, 2);
  await page.goto('/jobs/2611/diagnosis');
  const ways = page.getByRole('region', { name: 'Other ways out' });
  const card = ways.getByRole('article').filter({ hasText: 'Use the 117.9 GiB as a volume of its own' });
  // The largest that fit, with some room left over, are proposed.
  const folder = (name: RegExp) => card.getByRole('checkbox', { name });
  await expect(folder(/studio.Music/)).toBeChecked();
  await expect(card.getByRole('status')).toHaveText(/^C: then has \d+\.\d GiB free\.$/);
  await folder(/news desk.Music/).uncheck();
  await expect(card.getByRole('status')).toHaveText('C: then has 97.9 GiB free.');
  await card.getByRole('button', { name: 'Draw it' }).click();
  await expect(page).toHaveURL(/\/drawing\/\d+$/);
  await expect(page.getByText(/Move folders/).first()).toBeVisible();
  await page.getByRole('button', { name: 'Its work sheet' }).click();
  await expect(page).toHaveURL(/\/sheet$/);
  await expect(page.getByText('Create the new volume Files, 117.9 GiB').first()).toBeVisible();
  await expect(
    page.getByText('Move folders from C: to the new volume Files, 86.2 GiB').first(),
  ).toBeVisible();
  await expect(page.getByText(/has 200\.0 GiB, not the 320\.0 GiB that were asked for/)).toBeVisible();
  const promised = (await (await request.get('/api/v1/jobs/2611/sheets')).json()) as { id: number }[];
  const sheet = await (await request.get(`/api/v1/jobs/2611/sheets/${promised[0]!.id}`)).json();
  const used = sheet.document.promise.partitions.map((one: { name: string; used: number }) => [
    one.name,
    one.used,
  ]);
  expect(used.at(-1)[0]).toBe('the new volume Files');
  expect(used.at(-1)[1]).toBeGreaterThan(86 * 2 ** 30);
});

test('a data volume is joined to the target by way of another disk, and nothing looks for its letter any more', async ({
  page,
}) => {
  takesTurn(2, 2);
  await page.goto('/jobs/2610/target');
  await page.getByText('What may be done on the way').click();
  await page.getByLabel('Room on another disk to copy files to').fill('500 GiB');
  // What is opened stays open while something in it is filled in.
  await page.getByLabel('Room on another disk to copy files to').press('Tab');
  await expect(page.getByLabel('Room on another disk to copy files to')).toHaveValue('500 GiB');
  await expect(page.getByRole('group', { name: /^May be joined/ })).toBeVisible();
  await page.getByLabel('New total', { exact: true }).fill('76 GiB');
  await page.getByRole('button', { name: 'Find the routes' }).click();
  await expect(page).toHaveURL(/\/route$/);

  await page.goto('/jobs/2610/diagnosis');
  const card = page.getByRole('article').filter({ hasText: 'Join Exhibits (D:) to C:' });
  await expect(card).toContainText(
    'C: has 2.9 GiB free, and 32.6 GiB are needed: the files wait on another disk',
  );
  await card.getByRole('button', { name: 'Allow joining Exhibits (D:)' }).click();
  await expect(page.getByRole('group', { name: /^May be joined/ }).getByRole('checkbox')).toBeChecked();
  await page.getByLabel('New total', { exact: true }).fill('105 GiB');
  await page.getByRole('button', { name: 'Find the routes' }).click();
  await expect(page).toHaveURL(/\/route$/);
  await expect(page.getByRole('heading', { level: 1 })).toContainText('to 105.0 GiB');
  await expect(page.getByText('Exhibits goes into a folder, and its letter is gone').first()).toBeVisible();
  await page.getByRole('link', { name: /work sheet/ }).click();
  await page.getByRole('button', { name: /^Make the work sheet/ }).click();
  await expect(
    page.getByText('Copy the files of Exhibits (D:) into a folder of C:', { exact: true }).first(),
  ).toBeVisible();
  await expect(page.getByText('Nothing looks for Exhibits (D:) any more').first()).toBeVisible();
  await page.goto('/jobs/2610/rehearsal');
  await expect(
    page.getByText(/files are copied into a folder of another volume, which is not rehearsed/),
  ).toBeVisible();
});

test('a table that reaches no further is converted to GPT, once that is allowed', async ({
  page,
  request,
}) => {
  takesTurn(3, 2);
  const mib = 2048;
  const volume = (gib: number, used: number) => ({
    fileSystem: 'ntfs',
    clusterSize: 4096,
    size: gib * 2 ** 30,
    used: used * 2 ** 30,
  });
  const survey = {
    ...sampleSurvey(),
    disks: [
      {
        number: 0,
        model: 'made-up hard disk',
        serial: 'GT-MBR-4000',
        media: 'hdd',
        sectorSize: 512,
        sectors: 4096 * 1024 * mib,
        table: 'mbr',
        id: '6C1F00D5',
        partitions: [
          {
            number: 1,
            first: mib,
            sectors: 500 * mib,
            type: '0x07',
            kind: 'primary',
            active: true,
            role: 'system',
            volume: { ...volume(1, 0), size: 500 * 2 ** 20, used: 41 * 2 ** 20 },
          },
          {
            number: 2,
            first: 501 * mib,
            sectors: 2000 * 1024 * mib,
            type: '0x07',
            kind: 'primary',
            letter: 'C',
            role: 'windows',
            volume: volume(2000, 1900),
          },
        ],
      },
    ],
  };
  survey.machine = {
    ...survey.machine,
    firmware: 'bios',
    recoveryEnvironment: null,
  } as typeof survey.machine;
  const number = await addJob(request, 'parish archive');
  const kept = await request.put(`/api/v1/jobs/${number}/survey`, {
    data: { version: 1, source: 'document', survey },
  });
  expect(kept.status(), await kept.text()).toBe(200);
  await request.put(`/api/v1/jobs/${number}/target`, { data: { version: 2, disk: 0, partition: 2 } });
  await page.goto(`/jobs/${number}/diagnosis`);
  await expect(page.getByText('2,048.0 GiB lies beyond the reach of this disk’s table')).toBeVisible();
  const card = page.getByRole('article').filter({ hasText: 'Convert the partition table to GPT' });
  await card.getByRole('button', { name: 'Allow it' }).click();
  await expect(page.getByRole('checkbox', { name: /may be converted to GPT/ })).toBeChecked();
  await page.getByLabel('New total', { exact: true }).fill('3000 GiB');
  await page.getByRole('button', { name: 'Find the routes' }).click();
  await expect(page).toHaveURL(/\/route$/);
  await expect(
    page.getByText(/converted to GPT for good, and the machine starts by UEFI/).first(),
  ).toBeVisible();
  await page.getByRole('link', { name: /work sheet/ }).click();
  await page.getByRole('button', { name: /^Make the work sheet/ }).click();
  await expect(
    page.getByText('Convert the partition table from MBR to GPT', { exact: true }).first(),
  ).toBeVisible();
  await page.goto(`/jobs/${number}/rehearsal`);
  await expect(
    page.getByText(/the partition table is converted in place by Windows, which is not rehearsed/),
  ).toBeVisible();
});

test('everything moves to a larger disk, beside the route on the old one', async ({ page, request }) => {
  takesTurn(4, 2);
  await page.goto('/jobs/2610/diagnosis');
  const card = page.getByRole('article').filter({ hasText: 'Move to a larger disk' });
  await expect(card).toContainText(
    'On disk 1 (made-up SSD), which is connected and empty, C: would have 181.9 GiB.',
  );
  await card.getByRole('link', { name: 'Compare the disks' }).click();
  await expect(page.getByRole('radio', { name: /^Disk 1, 232\.9 GiB/ })).toBeChecked();
  await expect(page.getByText('C: has 60.0 GiB and fills by 13.5 GiB a year.')).toBeVisible();
  const smallest = page.getByRole('radio', { name: /^250 GB.*the smallest that lasts three years/ });
  await smallest.check();
  // What is not there yet has no sheet: its serial and its exact size are not known.
  await expect(page.getByText(/connect it, survey the machine again/)).toBeVisible();
  await expect(page.getByRole('button', { name: 'Make its work sheet' })).toHaveCount(0);
  await page.getByRole('radio', { name: /^Disk 1/ }).check();
  await expect(page.getByRole('listitem').filter({ hasText: 'Extend C: to 186,262 MiB' })).toBeVisible();
  await expect(page.getByRole('region', { name: 'Routes side by side' })).toContainText(
    'Move everything to a larger disk',
  );

  await page.getByRole('button', { name: 'Make its work sheet' }).click();
  await expect(page).toHaveURL(/\/sheet$/);
  await expect(page.getByText('The new disk is connected, sound and empty')).toBeVisible();
  await expect(page.getByText('Clone C: to the new disk', { exact: true }).first()).toBeVisible();
  await expect(page.getByText('Start the machine from the new disk alone').first()).toBeVisible();
  await expect(page.getByText('The old disk is kept as it is').first()).toBeVisible();
  const [newest] = (await (await request.get('/api/v1/jobs/2610/sheets')).json()) as { id: number }[];
  const { document } = await (await request.get(`/api/v1/jobs/2610/sheets/${newest!.id}`)).json();
  expect([document.disk.serial, document.target.from, document.target.to]).toEqual([
    'GT-77LH-2500',
    60 * 2 ** 30,
    186_262 * 2 ** 20,
  ]);
  // The machine as it is once the old disk is out: everything on the new one, which is disk 0 by now.
  const job = await (await request.get('/api/v1/jobs/2610')).json();
  const [found] = job.survey.document.disks as SurveyDisk[];
  const partitions = (document.promise.partitions as Promised[]).map((one) => {
    const old = found!.partitions.find(({ number }) => number === one.number)!;
    const size = one.sectors * 512;
    return { ...old, first: one.first, sectors: one.sectors, volume: { ...old.volume, size } };
  });
  const survey = {
    ...job.survey.document,
    takenAt: new Date().toISOString().replace(/\.\d+/, ''),
    disks: [{ ...found, serial: 'GT-77LH-2500', id: '6C1F0BB2', sectors: 488_397_168, partitions }],
  };
  const proved = await request.post(`/api/v1/jobs/2610/sheets/${newest!.id}/layout-proof`, {
    data: { version: job.version, survey },
  });
  expect(proved.status(), await proved.text()).toBe(200);
  await page.goto('/jobs/2610/proof');
  await expect(page.getByText('Everything is where it was promised')).toBeVisible();
  await expect(page.getByText('C: Windows').first()).toBeVisible();

  // Its steps are for another disk: they have no board here.
  const drawings = (await (await request.get('/api/v1/jobs/2610/drawings')).json()) as {
    id: number;
    name: string;
  }[];
  const { id } = drawings.find(({ name }) => name === 'To disk 1')!;
  await page.goto(`/jobs/2610/drawing/${id}`);
  await expect(page).toHaveURL(/\/diagnosis\/larger-disk$/);
});
