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
  truncateSync,
  writeSync,
} from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { testGpt, testId } from '../../../../scripts/test/gpt';
import { bootRecord, type BootEntry } from '../../../../scripts/test/mbrImage';
import { endOf, unallocated } from '../disk';
import { diagnose } from '../diagnosis';
import { planRoutes } from '../planning';
import { machineOf, surveyFromImage, SurveyShape, type SurveyDocument } from '../survey';
import { openFileSource } from '../test/source';
import { writeGpt, type GptTable } from '.';

const MIB = 2 ** 20;
let folder: string;
beforeAll(() => {
  folder = mkdtempSync(join(tmpdir(), 'gentle-tide-tables-'));
});
afterAll(() => rmSync(folder, { recursive: true, force: true }));

const SECTORS = (64 * MIB) / 512;
const DATA = 'EBD0A0A2-B9E5-4433-87C0-68B6B72699C7';
type Place = [first: number, sectors: number];

/** A GPT with partitions in those places. */
const gptOf = (
  places: readonly Place[],
  { sectors = SECTORS, sectorSize = 512, entries = 128, entrySize = 128, lastSlot = false } = {},
): GptTable =>
  testGpt(
    sectorSize,
    sectors,
    places.map(([first, length], i) => ({
      slot: lastSlot ? entries - places.length + i : i,
      type: DATA,
      id: testId(i + 1),
      first,
      last: first + length - 1,
      attributes: 0n,
      name: `made up ${i + 1}`,
    })),
    { entryCount: entries, entrySize },
  );

let made = 0;
function emptyDisk(bytes: number): string {
  const path = join(folder, `${++made}.img`);
  const file = openSync(path, 'w');
  ftruncateSync(file, bytes);
  closeSync(file);
  return path;
}
function diskWith(table: GptTable): string {
  const path = emptyDisk(table.sectors * table.sectorSize);
  for (const { offset, bytes } of writeGpt(table)) change(path, offset, bytes);
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

/**
 * Number, start and length of each partition as partx reads them, in sectors of 512 bytes; none where it finds no
 * table.
 */
function shownBy(path: string, sectorSize = 512): [number, number, number][] {
  try {
    const columns = ['--raw', '--noheadings', '--output', 'NR,START,SECTORS'];
    const text = execFileSync('partx', [...columns, '--sector-size', String(sectorSize), path], {
      encoding: 'utf8',
      stdio: 'pipe',
    });
    return text
      .trim()
      .split('\n')
      .filter(Boolean)
      .map((line) => line.split(' ').map(Number) as [number, number, number]);
  } catch {
    return [];
  }
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
  surveyFromImage(openFileSource(path), { machineName: 'made up', takenAt: '2026-11-20T09:30:00Z' });
async function read(path: string): Promise<SurveyDocument> {
  const outcome = await outcomeOf(path);
  if (!outcome.ok) throw new Error(outcome.problems[0]!.message);
  return outcome.value;
}
/** The same figures of a survey. */
const placesOf = (survey: SurveyDocument) => {
  const [disk] = survey.disks;
  const factor = disk!.sectorSize / 512;
  return disk!.partitions.map((one) => [one.number, one.first * factor, one.sectors * factor]);
};

const TWO: Place[] = [
  [2048, 16_384],
  [18_432, 32_768],
];
const NOISE = Uint8Array.from({ length: 510 }, (_, i) => (i * 89 + 7) % 251);
const ORDINARY: BootEntry[] = [
  { type: 0x07, first: 4096, sectors: 20_480, active: true },
  { type: 0x07, first: 40_960, sectors: 30_000 },
];

describe('the first sector decides which table counts', () => {
  /** A GPT disk whose first sector is a boot record with these entries. */
  const overwritten = (entries: readonly BootEntry[]): string => {
    const path = diskWith(gptOf(TWO));
    change(path, 0, bootRecord(entries));
    return path;
  };

  it('a GPT, as blkid and partx have it', async () => {
    const path = diskWith(gptOf(TWO));
    const survey = await read(path);
    expect(kindBy(path)).toBe('gpt');
    expect(shownBy(path)).toHaveLength(2);
    expect(placesOf(survey)).toEqual(shownBy(path));
    expect(survey.disks[0]!.protectiveRecord).toBeUndefined();
  });

  it.each<[string, (path: string) => void]>([
    ['both copies of the old GPT', () => {}],
    ['only the backup at its end', (path) => change(path, 512, new Uint8Array(33 * 512))],
    ['only the one at its beginning', (path) => change(path, 64 * MIB - 512, new Uint8Array(512))],
  ])('an ordinary record, whatever is left: %s', async (_, wipe) => {
    const path = overwritten(ORDINARY);
    wipe(path);
    const survey = await read(path);
    expect(kindBy(path)).toBe('dos');
    expect(survey.disks[0]).toMatchObject({ table: 'mbr' });
    expect(shownBy(path)).toHaveLength(2);
    expect(placesOf(survey)).toEqual(shownBy(path));
    expect(survey.notes!.join()).toContain('Leftovers of an old GUID partition table');
  });

  const before: BootEntry = { type: 0xee, first: 1, sectors: 2047 };
  const windows: BootEntry = { type: 0x07, first: 4096, sectors: 20_480 };
  it.each<[string, BootEntry[]]>([
    ['before it', [before, windows]],
    ['behind it', [windows, { type: 0xee, first: 30_000, sectors: 90_000 }]],
    ['of no length', [{ ...before, sectors: 0 }, windows]],
    ['across it', [{ ...before, sectors: SECTORS - 1 }, windows]],
    ['twice', [before, windows, { type: 0xee, first: 40_000, sectors: 80_000 }]],
  ])('a hybrid record, the protective entry %s: nothing is planned on it', async (_, entries) => {
    const survey = await read(overwritten(entries));
    expect(survey.disks[0]).toMatchObject({ table: 'mbr', protectiveRecord: 'hybrid' });
    expect(survey.notes!.join()).toContain('hybrid master boot record');
    const target = survey.disks[0]!.partitions.find((one) => one.type === '0x07')!;
    expect([target.first, target.sectors]).toEqual([4096, 20_480]);
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
    ['a record without its mark', (path) => change(path, 510, new Uint8Array(2))],
    ['noise', (path) => change(path, 0, NOISE)],
  ])('%s before a good GPT is read, found, and nothing is planned', async (_, damage) => {
    const path = diskWith(gptOf(TWO));
    const shown = shownBy(path);
    damage(path);
    const survey = await read(path);
    expect(survey.disks[0]).toMatchObject({ table: 'gpt', protectiveRecord: 'missing' });
    expect(placesOf(survey)).toEqual(shown);
    const diagnosis = diagnose({ survey, disk: 0, partition: 1 });
    expect(diagnosis.ok && diagnosis.value.findings[0]).toMatchObject({
      code: 'no-protective-record',
      severity: 'blocks',
    });
  });

  it('without its protective entry others find no GPT either', () => {
    const path = diskWith(gptOf(TWO));
    change(path, 446, new Uint8Array(64));
    expect(kindBy(path)).not.toBe('gpt');
    expect(shownBy(path)).toEqual([]);
  });

  it.each<[string, number, Uint8Array]>([
    ['active', 446, Uint8Array.of(0x80)],
    ['of no length', 446 + 12, new Uint8Array(4)],
    ['as long as 32 bits go', 446 + 12, Uint8Array.of(255, 255, 255, 255)],
  ])('a protective entry that is %s protects all the same', async (_, at, bytes) => {
    const path = diskWith(gptOf(TWO));
    change(path, at, bytes);
    expect(kindBy(path)).toBe('gpt');
    expect((await read(path)).disks[0]).not.toHaveProperty('protectiveRecord');
  });

  it('a record with nothing in it is a disk without partitions', async () => {
    const path = emptyDisk(64 * MIB);
    change(path, 0, bootRecord([], 0x6c1f00d5));
    expect((await read(path)).disks[0]).toMatchObject({ table: 'mbr', id: '6C1F00D5', partitions: [] });
  });
});

describe('the usable area follows the table’s own array', () => {
  // UEFI 2.10, 5.3.1 and 5.3.2: record, header, then as many sectors of 512 bytes as 128 bytes an entry fill.
  it.each([
    [128, 34],
    [256, 66],
    [512, 130],
    [1024, 258],
  ])('of %i entries: the first usable sector is %i', async (entries, first) => {
    const path = diskWith(gptOf([[first, 100]], { entries }));
    expect(shownBy(path)).toEqual([[1, first, 100]]);
    const survey = await read(path);
    expect(survey.disks[0]).toMatchObject({ entries, entrySize: 128 });
    const { usable } = machineOf(survey).disks[0]!;
    expect([usable.first, endOf(usable)]).toEqual([first, SECTORS - first + 1]);
  });

  it.each([128, 256, 512])(
    'also once %i entries have moved to the end of an enlarged disk: no data lies on them',
    async (entries) => {
      const sectors = (100 * MIB) / 512;
      const path = diskWith(gptOf(TWO, { entries }));
      truncateSync(path, sectors * 512);
      const survey = await read(path);
      expect(survey.notes!.join()).toContain('the backup table is not at the end');
      // The table for the enlarged disk, its last entry a partition up to the end of what is planned with, full of
      // data.
      const { usableRelocated } = machineOf(survey).disks[0]!;
      const first = 150_000;
      const whole = endOf(usableRelocated) - first;
      const moved = diskWith(gptOf([[first, whole]], { entries, sectors, lastSlot: true }));
      change(moved, first * 512, new Uint8Array(whole * 512).fill(0xd5));
      expect(shownBy(moved)).toEqual([[entries, first, whole]]);
      // With the primary gone partx goes by the backup, which that data would have overwritten.
      change(moved, 512, new Uint8Array(512));
      expect(shownBy(moved)).toEqual([[entries, first, whole]]);
      change(moved, (first + whole) * 512, new Uint8Array(512).fill(0xd5));
      expect(shownBy(moved)).toEqual([]);
    },
  );

  it('less what the array fills, where the header claims that too', () => {
    const usableOf = (entrySize: number) =>
      machineOf({
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
      }).disks[0]!.usable;
    expect([usableOf(128).first, endOf(usableOf(128))]).toEqual([34, 199_967]);
    expect([usableOf(256).first, endOf(usableOf(256))]).toEqual([66, 199_935]);
  });

  it('is written for entries of 256 bytes and many of them, and read back', async () => {
    const path = diskWith(gptOf([[2048, 2048]], { entries: 512, entrySize: 256, lastSlot: true }));
    // No reader at hand takes entries of 256 bytes; where the last one lies and how its type is stored, UEFI 2.10 says
    // (5.3.3, appendix A).
    const stored = bytesAt(path, 1024 + 511 * 256, 16).toString('hex');
    expect(stored).toBe('a2a0d0ebe5b9334487c068b6b72699c7');
    const [disk] = (await read(path)).disks;
    expect(disk).toMatchObject({ entries: 512, entrySize: 256 });
    expect(disk!.partitions).toMatchObject([{ number: 512, first: 2048, sectors: 2048 }]);
  });
});

describe('a signature alone is no table', () => {
  /** The header of the table that such a disk had when it was used with sectors of 512 bytes; its array is gone. */
  const leftover = (): Buffer => bytesAt(diskWith(gptOf(TWO)), 512, 512);

  it('a leftover for 512-byte sectors does not win over the table of a disk with 4,096', async () => {
    const path = diskWith(gptOf([[256, 768]], { sectors: SECTORS / 8, sectorSize: 4096 }));
    change(path, 512, leftover());
    expect(shownBy(path, 4096)).toEqual([[1, 2048, 6144]]);
    const survey = await read(path);
    expect(survey.disks[0]).toMatchObject({ sectorSize: 4096 });
    expect(placesOf(survey)).toEqual(shownBy(path, 4096));
  });

  it('a leftover for 4,096-byte sectors does not win over the backup of a disk with 512', async () => {
    const path = diskWith(gptOf(TWO));
    change(path, 512, new Uint8Array(33 * 512));
    // A header that says of itself that it stands in sector 1 of a disk with sectors of 4,096 bytes.
    change(path, 4096, leftover());
    expect(shownBy(path)).toHaveLength(2);
    const survey = await read(path);
    expect(survey.disks[0]).toMatchObject({ sectorSize: 512 });
    expect(placesOf(survey)).toEqual(shownBy(path));
    expect(survey.notes!.join()).toContain('The primary partition table is damaged');
  });

  it('of two tables with a valid copy the one that fits the disk better counts, and the other is named', async () => {
    // A short array leaves room for the whole table of the same disk with larger sectors between header and data.
    const small = { entries: 4, sectors: SECTORS };
    const table = { ...gptOf(TWO, small), firstUsable: 2048, lastUsable: SECTORS - 2048 };
    const path = diskWith(gptOf([[2560, 768]], { sectors: SECTORS / 8, sectorSize: 4096 }));
    const short = writeGpt(table).map(({ offset, bytes }) => ({ offset, bytes: bytes.subarray(0, 512) }));
    for (const { offset, bytes } of short) change(path, offset, bytes);
    const survey = await read(path);
    expect(shownBy(path)).toHaveLength(2);
    expect(survey.disks[0]).toMatchObject({ sectorSize: 512 });
    expect(placesOf(survey)).toEqual(shownBy(path));
    expect(survey.notes!.join()).toContain('A second partition table was found, for sectors of 4096 bytes');
  });

  it('an enlarged disk with a damaged primary is found by the end that its first sector still tells', async () => {
    const path = diskWith(gptOf(TWO));
    const shown = shownBy(path);
    truncateSync(path, 100 * MIB);
    change(path, 512, new Uint8Array(512));
    const survey = await read(path);
    expect(placesOf(survey)).toEqual(shown);
    expect(survey.disks[0]!.backupHeader).toBe(SECTORS - 1);
  });
});

describe('a table with hundreds of partitions', () => {
  const many = (count: number, entries: number): string => {
    const places = Array.from({ length: count }, (_, i): Place => [2048 * (i + 1), 2048]);
    return diskWith(gptOf(places, { entries, sectors: 2048 * (count + 10) }));
  };

  it('may have room for more than a thousand', async () =>
    expect((await read(many(1, 4096))).disks[0]).toMatchObject({
      entries: 4096,
      partitions: [{ number: 1 }],
    }));

  it('is refused with more partitions than are looked at, and says so', async () => {
    const outcome = await outcomeOf(many(1030, 2048));
    expect(outcome.ok ? '' : outcome.problems[0]!.message).toContain('holds 1030 partitions');
  });

  it.each([257, 600])('%i of them, each with a note, still make a valid document', async (count) => {
    const path = many(count, 1024);
    const survey = await read(path);
    expect(placesOf(survey)).toEqual(shownBy(path));
    const ajv = new Ajv2020({ strict: false });
    addFormats.default(ajv);
    const validate = ajv.compile(SurveyShape);
    expect(validate(survey), JSON.stringify(validate.errors)).toBe(true);
    expect(survey.notes!.at(-1)).toMatch(/^and \d+ more notes/);
  });
});

describe('an extended partition', () => {
  it('has the free room at its end inside, and the drive that partx shows', async () => {
    const path = emptyDisk(64 * MIB);
    const extended: BootEntry = { type: 0x05, first: 40_960, sectors: 60_000 };
    change(path, 0, bootRecord([{ type: 0x07, first: 2048, sectors: 20_480 }, extended]));
    change(path, 40_960 * 512, bootRecord([{ type: 0x07, first: 2048, sectors: 8192 }]));
    expect(shownBy(path)).toContainEqual([5, 43_008, 8192]);
    const survey = await read(path);
    const found = survey.disks[0]!.partitions.find((one) => one.kind === 'extended')!;
    expect([found.first, found.sectors]).toEqual([40_960, 60_000]);
    expect(placesOf(survey)).toContainEqual([5, 43_008, 8192]);
    expect(unallocated(found, [{ first: 43_008, sectors: 8192 }])).toContainEqual({
      first: 51_200,
      sectors: 49_760,
    });
  });

  it('whose record leads on to nowhere is damaged: drives behind it are not unallocated room', async () => {
    const path = emptyDisk(64 * MIB);
    change(path, 0, bootRecord([{ type: 0x0f, first: 2048, sectors: 120_000 }]));
    const record = (next: BootEntry[]) => bootRecord([{ type: 0x07, first: 2048, sectors: 8192 }, ...next]);
    const source = openFileSource(path);
    const problem = async () => {
      const survey = await surveyFromImage(source, {
        machineName: 'Old till',
        takenAt: '2026-11-20T09:30:00Z',
      });
      return survey.ok ? null : survey.problems[0]?.code;
    };
    change(path, 2048 * 512, record([]));
    expect(await problem()).toBe(null);
    change(path, 2048 * 512, record([{ type: 0x05, first: 0, sectors: 10_240 }]));
    expect(await problem()).toBe('mbr-broken');
  });
});
