import { execFileSync } from 'node:child_process';
import { copyFileSync, openSync, closeSync, readSync, writeSync } from 'node:fs';
import { expect, test } from './test';
import { addJob, chooseText } from './survey';

const small = () => process.env['SMALL_IMAGE']!;
const converted = (name: string, ...args: string[]): string => {
  const path = test.info().outputPath(name);
  execFileSync('qemu-img', ['convert', '-f', 'raw', ...args, small(), path]);
  return path;
};

/** What lsblk prints of a disk with two volumes that may both be Windows. */
function twoVolumes(active: boolean): string {
  const part = (number: number, start: number, gib: number, more: object) => ({
    name: `sda${number}`,
    partn: number,
    type: 'part',
    start: start * 2048,
    size: gib * 2 ** 30,
    parttype: '0x7',
    fstype: 'ntfs',
    ...more,
  });
  const disk = {
    name: 'sda',
    type: 'disk',
    size: 500 * 2 ** 30,
    serial: 'GT-STICK-2',
    rota: true,
    'log-sec': 512,
    pttype: 'dos',
    children: [
      part(1, 1, 150, { label: 'Ledgers', fsused: 120 * 2 ** 30, partflags: active ? '0x80' : null }),
      part(2, 153_601, 200, { label: 'Sounds', fsused: 90 * 2 ** 30 }),
    ],
  };
  return JSON.stringify({ blockdevices: [disk] });
}

test('where nothing says which volume is Windows, it is asked, and the diagnosis waits', async ({
  page,
  request,
}) => {
  const number = await addJob(request, 'two volumes');
  await page.goto(`/jobs/${number}/survey`);
  await chooseText(page, 'lsblk.json', twoVolumes(false));
  await expect(page.getByRole('heading', { name: 'Which of these is Windows?' })).toBeVisible();
  await expect(page.getByRole('button', { name: 'See the diagnosis' })).toBeDisabled();
  const { survey } = (await (await request.get(`/api/v1/jobs/${number}`)).json()) as { survey: unknown };
  const document = (survey as { document?: unknown }).document ?? survey;
  const asked = await request.post('/api/v1/diagnosis', {
    data: { survey: document, disk: 0, partition: 1 },
  });
  expect(asked.ok()).toBe(true);
  const { findings } = (await asked.json()) as { findings: { code: string; severity: string }[] };
  expect(findings[0]).toMatchObject({ code: 'windows-not-named', severity: 'blocks' });

  await page.getByRole('button', { name: 'Partition 2 is Windows' }).click();
  await expect(page.getByRole('heading', { name: 'Which of these is Windows?' })).toBeHidden();
  await expect(page.getByText('was named as the Windows volume by hand')).toBeVisible();
  await page.getByRole('button', { name: 'See the diagnosis' }).click();
  await expect(page.getByRole('heading', { level: 1 })).toContainText('Windows can extend Sounds now by 1');

  // An active volume as large as Windows is Windows, and none may be.
  await page.goto(`/jobs/${await addJob(request, 'older install')}/survey`);
  await chooseText(page, 'lsblk.json', twoVolumes(true));
  await expect(page.getByText('Partition 1 is taken for the Windows volume')).toBeVisible();
  await page.goto(`/jobs/${await addJob(request, 'data only')}/survey`);
  await chooseText(page, 'lsblk.json', twoVolumes(false));
  await page.getByRole('button', { name: /^None of them/ }).click();
  await expect(page.getByText('none of the volumes is Windows')).toBeVisible();
  await page.getByRole('button', { name: 'Grow Ledgers' }).click();
  await expect(page.getByRole('button', { name: 'See the diagnosis' })).toBeEnabled();
});

test('qcow2 and VMDK are read in the browser; a VMDK in two files names what is missing, other pairs are refused', async ({
  page,
  request,
}) => {
  await page.goto(`/jobs/${await addJob(request, 'images')}/survey`);
  const file = page.getByTestId('survey-file');
  const flat = converted('ticket-desk.vmdk', '-O', 'vmdk', '-o', 'subformat=monolithicFlat');
  await file.setInputFiles(flat);
  await expect(page.getByRole('alert')).toContainText('its bytes are in “ticket-desk-flat.vmdk”');
  await file.setInputFiles([flat.replace('.vmdk', '-flat.vmdk'), flat]);
  await expect(page.getByText('disk image (VMDK)').first()).toBeVisible();
  await file.setInputFiles(converted('ticket-desk.qcow2', '-c', '-O', 'qcow2'));
  await expect(page.getByText('disk image (qcow2)').first()).toBeVisible();
  const windows = page.getByRole('listitem').filter({ hasText: /^\s*Windows/ });
  await expect(windows).toContainText('0.3 GiB');

  const json = { name: 'a.json', mimeType: 'application/json', buffer: Buffer.from('{}') };
  await file.setInputFiles([json, { ...json, name: 'b.json' }]);
  await expect(page.getByRole('alert')).toContainText('Two files say the same kind of thing');
  const more = ['a', 'b', 'c'].map((name) => ({ ...json, name: `${name}.json` }));
  await file.setInputFiles(more);
  await expect(page.getByRole('alert')).toContainText('3 files were given');
});

test('a hybrid record and a damaged boot sector are said, and nothing is planned on them', async ({
  page,
  request,
}) => {
  const path = test.info().outputPath('odd.img');
  copyFileSync(small(), path);
  const disk = openSync(path, 'r+');
  // Beside the protective entry the Windows volume as an entry of a master boot record.
  const entry = Buffer.alloc(16);
  entry[4] = 0x07;
  entry.writeUInt32LE(81 * 2048, 8);
  entry.writeUInt32LE(300 * 2048, 12);
  writeSync(disk, entry, 0, 16, 446 + 16);
  await page.goto(`/jobs/${await addJob(request, 'hybrid')}/survey`);
  await page.getByTestId('survey-file').setInputFiles(path);
  await expect(page.getByText('Sector 0 is a hybrid master boot record')).toBeVisible();
  await page.getByRole('button', { name: 'See the diagnosis' }).click();
  await expect(page.getByRole('heading', { level: 1 })).toContainText(
    'disk 0 has a hybrid master boot record',
  );

  writeSync(disk, Buffer.alloc(16), 0, 16, 446 + 16);
  const boot = Buffer.alloc(512);
  readSync(disk, boot, 0, 512, 81 * 2 ** 20);
  expect(boot.subarray(3, 7).toString()).toBe('NTFS');
  writeSync(disk, Buffer.alloc(512), 0, 512, 81 * 2 ** 20);
  closeSync(disk);
  await page.goto(`/jobs/${await addJob(request, 'damaged')}/survey`);
  await page.getByTestId('survey-file').setInputFiles(path);
  await expect(
    page.getByText('the backup boot sector (sector 614399 of the partition) is sound'),
  ).toBeVisible();
  await page.getByRole('button', { name: 'See the diagnosis' }).click();
  await expect(page.getByRole('heading', { level: 1 })).toContainText(
    'the boot sector of Windows is damaged',
  );
});
