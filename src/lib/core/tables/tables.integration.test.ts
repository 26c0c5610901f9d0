import { Ajv2020 } from 'ajv/dist/2020.js';
import addFormats from 'ajv-formats';
import { execFileSync } from 'node:child_process';
import {
  closeSync,
  ftruncateSync,
  mkdtempSync,
  openSync,
  readSync,
  rmSync,
  statSync,
  truncateSync,
  writeSync,
} from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { endOf } from '../disk';
import { diagnose } from '../diagnosis';
import { planRoutes } from '../planning';
import { machineOf, surveyFromImage, SurveyShape, type SurveyDocument } from '../survey';
import { fileSource } from '../test/source';
import { writeGpt, type GptTable } from '.';

const MIB = 2 ** 20;
let folder: string;
beforeAll(() => {
  folder = mkdtempSync(join(tmpdir(), 'gentle-tide-tables-'));
});
afterAll(() => rmSync(folder, { recursive: true, force: true }));

let made = 0;
/** A disk whose table sfdisk writes from a script of its own. */
function diskBy(script: string, mib = 64): string {
  const path = join(folder, `${++made}.img`);
  const file = openSync(path, 'w');
  ftruncateSync(file, mib * MIB);
  closeSync(file);
  execFileSync('sfdisk', ['--quiet', path], { input: script, stdio: ['pipe', 'pipe', 'pipe'] });
  return path;
}
const bytesAt = (path: string, offset: number, length: number): Buffer => {
  const file = openSync(path, 'r');
  const bytes = Buffer.alloc(length);
  readSync(file, bytes, 0, length, offset);
  closeSync(file);
  return bytes;
};
function change(path: string, offset: number, bytes: Uint8Array): void {
  const file = openSync(path, 'r+');
  writeSync(file, bytes, 0, bytes.length, offset);
  closeSync(file);
}

/** The table as sfdisk dumps it: head fields, and start and size of each partition. */
function dumped(path: string): { head: Record<string, string>; parts: [number, number][] } | null {
  let text: string;
  try {
    text = execFileSync('sfdisk', ['--dump', path], { encoding: 'utf8', stdio: 'pipe' });
  } catch {
    return null;
  }
  const head = Object.fromEntries(
    [...text.matchAll(/^([a-z-]+): (.*)$/gm)].map(([, key, value]) => [key, value]),
  );
  const parts = [...text.matchAll(/start=\s*(\d+), size=\s*(\d+)/g)];
  return { head, parts: parts.map(([, start, size]) => [Number(start), Number(size)]) };
}
/** The kind of table that blkid takes a disk for. */
function kindBy(path: string): string {
  try {
    return execFileSync('blkid', ['-p', '-o', 'value', '-s', 'PTTYPE', path], {
      encoding: 'utf8',
      stdio: 'pipe',
    }).trim();
  } catch {
    return '';
  }
}

const outcomeOf = (path: string) =>
  surveyFromImage(fileSource(path), { machineName: 'made up', takenAt: '2026-11-20T09:30:00Z' });
async function read(path: string): Promise<SurveyDocument> {
  const outcome = await outcomeOf(path);
  if (!outcome.ok) throw new Error(outcome.problems[0]!.message);
  return outcome.value;
}
const placesOf = (survey: SurveyDocument) =>
  survey.disks[0]!.partitions.map((one) => [one.first, one.sectors]);

const GPT =
  'label: gpt\nsize=8MiB, type=EBD0A0A2-B9E5-4433-87C0-68B6B72699C7\nsize=16MiB, type=EBD0A0A2-B9E5-4433-87C0-68B6B72699C7\n';
const MBR = 'label: dos\nstart=4096, size=20480, type=7, bootable\nstart=40960, size=30000, type=7\n';

describe('the first sector decides which table counts', () => {
  /** A GPT disk whose first sector is that of a master boot record that sfdisk wrote elsewhere. */
  const overwritten = (script: string): string => {
    const path = diskBy(GPT);
    change(path, 0, bytesAt(diskBy(script), 0, 512));
    return path;
  };

  it('a GPT where sfdisk wrote one', async () => {
    const path = diskBy(GPT);
    const survey = await read(path);
    expect(kindBy(path)).toBe('gpt');
    expect(placesOf(survey)).toEqual(dumped(path)!.parts);
    expect(survey.disks[0]!.protectiveRecord).toBeUndefined();
  });

  it.each<[string, (path: string) => void]>([
    ['both copies of the old GPT', () => {}],
    ['only the backup at its end', (path) => change(path, 512, new Uint8Array(33 * 512))],
    ['only the one at its beginning', (path) => change(path, 64 * MIB - 512, new Uint8Array(512))],
  ])('an ordinary record, whatever is left: %s', async (_, wipe) => {
    const path = overwritten(MBR);
    wipe(path);
    const survey = await read(path);
    expect(kindBy(path)).toBe('dos');
    expect(dumped(path)!.head['label']).toBe('dos');
    expect(survey.disks[0]).toMatchObject({ table: 'mbr' });
    expect(placesOf(survey)).toEqual(dumped(path)!.parts);
    expect(survey.notes!.join()).toContain('Leftovers of an old GUID partition table');
  });

  it.each<[string, string]>([
    ['before it', 'start=1, size=2047, type=ee\nstart=4096, size=20480, type=7\n'],
    ['behind it', 'start=2048, size=16384, type=7\nstart=20000, size=100000, type=ee\n'],
    [
      'two of them',
      'start=1, size=2047, type=ee\nstart=4096, size=20480, type=7\nstart=40000, size=80000, type=ee\n',
    ],
  ])('a hybrid record, the protective entry %s: nothing is planned on it', async (_, entries) => {
    const path = overwritten(`label: dos\n${entries}`);
    const survey = await read(path);
    expect(survey.disks[0]).toMatchObject({ table: 'mbr', protectiveRecord: 'hybrid' });
    expect(survey.notes!.join()).toContain('hybrid master boot record');
    const target = survey.disks[0]!.partitions.find((one) => one.type === '0x07')!;
    target.volume = { fileSystem: 'ntfs', size: target.sectors * 512, used: MIB, clusterSize: 4096 };
    const routes = planRoutes({ survey, disk: 0, goal: { partition: target.number, max: true } });
    expect(routes.ok && routes.value).toMatchObject({ reached: false, routes: [] });
    const diagnosis = diagnose({ survey, disk: 0, partition: target.number });
    expect(diagnosis.ok && diagnosis.value.headline).toContain('has a hybrid master boot record');
  });

  it.each<[string, (path: string) => void]>([
    ['an empty sector', (path) => change(path, 0, new Uint8Array(512))],
    ['a protective entry that does not begin in sector 1', (path) => change(path, 446 + 8, Uint8Array.of(2))],
    ['boot code without entries', (path) => change(path, 446, new Uint8Array(64))],
    [
      'noise',
      (path) =>
        change(
          path,
          0,
          Uint8Array.from({ length: 510 }, (__, i) => (i * 89 + 7) % 251),
        ),
    ],
  ])('%s before a good GPT is read, found, and nothing is planned', async (_, damage) => {
    const path = diskBy(GPT);
    const parts = dumped(path)!.parts;
    damage(path);
    const survey = await read(path);
    expect(survey.disks[0]).toMatchObject({ table: 'gpt', protectiveRecord: 'missing' });
    expect(placesOf(survey)).toEqual(parts);
    const diagnosis = diagnose({ survey, disk: 0, partition: 1 });
    expect(diagnosis.ok && diagnosis.value.findings[0]).toMatchObject({
      code: 'no-protective-record',
      severity: 'blocks',
    });
  });

  it('that sector being empty, others find no table at all: so Windows does', () => {
    const path = diskBy(GPT);
    change(path, 0, new Uint8Array(512));
    expect([kindBy(path), dumped(path)]).toEqual(['', null]);
  });

  it('a record with nothing in it is a disk without partitions', async () => {
    const path = diskBy('label: dos\nlabel-id: 0x6c1f00d5\n');
    expect((await read(path)).disks[0]).toMatchObject({ table: 'mbr', id: '6C1F00D5', partitions: [] });
  });
});

describe('the usable area follows the table’s own array', () => {
  it.each([128, 256, 512, 1024])('of %i entries, as sfdisk has it', async (entries) => {
    const path = diskBy(`label: gpt\ntable-length: ${entries}\nsize=8MiB\n`);
    const { head } = dumped(path)!;
    const survey = await read(path);
    expect(survey.disks[0]).toMatchObject({ entries, entrySize: 128 });
    const { usable } = machineOf(survey).disks[0]!;
    expect([usable.first, endOf(usable) - 1]).toEqual([Number(head['first-lba']), Number(head['last-lba'])]);
  });

  it.each([128, 256, 512])(
    'also once %i entries have moved to the end of an enlarged disk',
    async (entries) => {
      const path = diskBy(`label: gpt\ntable-length: ${entries}\nsize=8MiB\n`);
      truncateSync(path, 100 * MIB);
      const survey = await read(path);
      const { usableRelocated } = machineOf(survey).disks[0]!;
      expect(survey.notes!.join()).toContain('the backup table is not at the end');
      // What an independent tool makes usable when it moves the backup there.
      execFileSync('sfdisk', ['--relocate', 'gpt-bak-std', path], { stdio: 'pipe' });
      expect(endOf(usableRelocated) - 1).toBe(Number(dumped(path)!.head['last-lba']));
    },
  );

  it('less what the array fills, where the header claims that too', () => {
    const survey = (entrySize: number): SurveyDocument => ({
      format: 'gentle-tide/survey',
      version: 1,
      takenAt: '2026-11-20T09:30:00Z',
      machine: { name: 'x', firmware: 'uefi' },
      disks: [
        {
          number: 0,
          media: 'virtual',
          sectorSize: 512,
          sectors: 200_000,
          table: 'gpt',
          entries: 128,
          entrySize,
          firstUsable: 34,
          lastUsable: 199_966,
          partitions: [],
        },
      ],
    });
    const of = (entrySize: number) => machineOf(survey(entrySize)).disks[0]!.usable;
    expect([of(128).first, endOf(of(128))]).toEqual([34, 199_967]);
    expect([of(256).first, endOf(of(256))]).toEqual([66, 199_935]);
  });

  it('is written for entries of 256 bytes and many of them, and read back', async () => {
    const table: GptTable = {
      sectorSize: 512,
      sectors: 100_000,
      diskId: '47540000-0000-4000-8000-00000000D15C',
      firstUsable: 2 + 256,
      lastUsable: 100_000 - 2 - 256,
      backupHeader: 99_999,
      entryCount: 512,
      entrySize: 256,
      entries: [
        {
          slot: 511,
          type: 'EBD0A0A2-B9E5-4433-87C0-68B6B72699C7',
          id: '47540000-0000-4000-8000-000000000001',
          first: 2048,
          last: 4095,
          attributes: 0n,
          name: 'last slot',
        },
      ],
    };
    const path = join(folder, 'entries.img');
    const file = openSync(path, 'w');
    ftruncateSync(file, table.sectors * 512);
    for (const { offset, bytes } of writeGpt(table)) writeSync(file, bytes, 0, bytes.length, offset);
    closeSync(file);
    const survey = await read(path);
    expect(survey.disks[0]).toMatchObject({ entries: 512, entrySize: 256 });
    // No reader at hand takes entries of 256 bytes; where the last one lies and how its type is stored, UEFI 2.10 says (5.3.3, appendix A).
    const stored = bytesAt(path, 1024 + 511 * 256, 16).toString('hex');
    expect(stored).toBe('a2a0d0ebe5b9334487c068b6b72699c7');
    expect(survey.disks[0]!.partitions).toMatchObject([{ number: 512, first: 2048, sectors: 2048 }]);
  });
});

describe('a signature alone is no table', () => {
  const headerAt = (path: string, offset: number): Buffer => bytesAt(path, offset, 512);

  it('a leftover for 512-byte sectors does not win over the table of a disk with 4,096', async () => {
    const path = join(folder, 'sectors4096.img');
    const table: GptTable = {
      sectorSize: 4096,
      sectors: 16_384,
      diskId: '47540000-0000-4000-8000-00000000D15C',
      firstUsable: 6,
      lastUsable: 16_378,
      backupHeader: 16_383,
      entryCount: 128,
      entrySize: 128,
      entries: [
        {
          slot: 0,
          type: 'EBD0A0A2-B9E5-4433-87C0-68B6B72699C7',
          id: '47540000-0000-4000-8000-000000000001',
          first: 256,
          last: 1023,
          attributes: 0n,
          name: 'real',
        },
      ],
    };
    const file = openSync(path, 'w');
    ftruncateSync(file, table.sectors * 4096);
    for (const { offset, bytes } of writeGpt(table)) writeSync(file, bytes, 0, bytes.length, offset);
    closeSync(file);
    // The header that sfdisk wrote for the same disk when it was used with 512-byte sectors; its array is gone.
    change(path, 512, headerAt(diskBy(GPT), 512));
    const shown = execFileSync(
      'partx',
      ['--raw', '--noheadings', '--sector-size', '4096', '--output', 'START,SECTORS', path],
      { encoding: 'utf8' },
    );
    expect(shown.trim()).toBe(`${256 * 8} ${768 * 8}`);
    const survey = await read(path);
    expect(survey.disks[0]).toMatchObject({ sectorSize: 4096 });
    expect(placesOf(survey)).toEqual([[256, 768]]);
  });

  it('a leftover for 4,096-byte sectors does not win over the backup of a disk with 512', async () => {
    const path = diskBy(GPT);
    const parts = dumped(path)!.parts;
    change(path, 512, new Uint8Array(33 * 512));
    // A header that says of itself that it stands in sector 1 of a disk with sectors of 4,096 bytes.
    change(path, 4096, headerAt(diskBy(GPT), 512));
    const survey = await read(path);
    expect(survey.disks[0]).toMatchObject({ sectorSize: 512 });
    expect(placesOf(survey)).toEqual(parts);
    expect(survey.notes!.join()).toContain('The primary partition table is damaged');
  });

  it('an enlarged disk with a damaged primary is found by the end that its first sector still tells', async () => {
    const path = diskBy(GPT);
    const parts = dumped(path)!.parts;
    truncateSync(path, 100 * MIB);
    change(path, 512, new Uint8Array(512));
    const survey = await read(path);
    expect(placesOf(survey)).toEqual(parts);
    expect(survey.disks[0]!.backupHeader).toBe((64 * MIB) / 512 - 1);
  });
});

describe('a table with hundreds of partitions', () => {
  it('may have room for more than a thousand, as sfdisk makes it', async () => {
    const path = diskBy('label: gpt\ntable-length: 4096\nsize=8MiB\n');
    expect((await read(path)).disks[0]).toMatchObject({ entries: 4096, partitions: [{ number: 1 }] });
  });

  it('is refused with more partitions than are looked at, and says so', async () => {
    const lines = Array.from({ length: 1030 }, () => 'size=1MiB').join('\n');
    const outcome = await outcomeOf(diskBy(`label: gpt\ntable-length: 2048\n${lines}\n`, 1040));
    expect(outcome.ok ? '' : outcome.problems[0]!.message).toContain('holds 1030 partitions');
  });

  it.each([257, 600])('%i of them, each with a note, still make a valid document', async (count) => {
    const lines = Array.from({ length: count }, () => 'size=1MiB').join('\n');
    const path = diskBy(`label: gpt\ntable-length: 1024\n${lines}\n`, count + 10);
    const survey = await read(path);
    expect(survey.disks[0]!.partitions).toHaveLength(dumped(path)!.parts.length);
    const ajv = new Ajv2020({ strict: false });
    addFormats.default(ajv);
    const validate = ajv.compile(SurveyShape);
    expect(validate(survey), JSON.stringify(validate.errors)).toBe(true);
    expect(survey.notes!.at(-1)).toMatch(/^and \d+ more notes/);
    expect(statSync(path).size).toBe((count + 10) * MIB);
  });
});

describe('an extended partition', () => {
  it('has the free room at its end inside, by the image and by sfdisk', async () => {
    const path = diskBy(
      'label: dos\nstart=2048, size=20480, type=7\nstart=40960, size=60000, type=5\nstart=43008, size=8192, type=7\n',
    );
    const { parts } = dumped(path)!;
    const { partitions } = (await read(path)).disks[0]!;
    const extended = partitions.find((one) => one.kind === 'extended')!;
    expect([extended.first, extended.sectors]).toEqual(parts[1]);
    expect(partitions.find((one) => one.kind === 'logical')).toMatchObject({ first: 43_008, sectors: 8192 });
  });
});
