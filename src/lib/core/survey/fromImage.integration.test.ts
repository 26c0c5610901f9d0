import { execFileSync } from 'node:child_process';
import {
  closeSync,
  mkdirSync,
  openSync,
  readFileSync,
  readSync,
  statSync,
  truncateSync,
  writeFileSync,
  writeSync,
} from 'node:fs';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { TYPE } from '../disk';
import { CLINIC_VOLUMES, makeImage, type MadeImage } from '../../../../scripts/test/image';
import { makeMbrImage } from '../../../../scripts/test/mbrImage';
import { openFileSource } from '../test/source';
import { isLsblk, surveyFromLsblk } from './fromLsblk';
import { surveyFromImage, type SurveyDocument } from '.';

const read = async (path: string): Promise<SurveyDocument> => {
  const outcome = await surveyFromImage(openFileSource(path), {
    machineName: 'test',
    takenAt: '2026-11-20T09:30:00Z',
  });
  if (!outcome.ok) throw new Error(outcome.problems[0]!.message);
  return outcome.value;
};

const run = (command: string, ...args: string[]) =>
  execFileSync(command, args, { encoding: 'utf8', stdio: 'pipe' });

describe.each([512, 4096] as const)(
  'an image with sectors of %i bytes, made by independent formatters',
  (sectorSize) => {
    let image: MadeImage;
    let survey: SurveyDocument;
    beforeAll(async () => {
      image = makeImage(CLINIC_VOLUMES, { sectorSize, gap: 50 });
      survey = await read(image.path);
    });
    afterAll(() => image.remove());

    it('has the partitions that partx shows', () => {
      const lines = run(
        'partx',
        '--raw',
        '--noheadings',
        '--sector-size',
        String(sectorSize),
        '--output',
        'NR,START,SECTORS,NAME,UUID',
        image.path,
      );
      // partx counts in 512-byte sectors whatever the disk's are.
      const factor = sectorSize / 512;
      const shown = lines
        .trim()
        .split('\n')
        .map((line) => line.split(' '));
      const ours = survey.disks[0]!.partitions.map((p) => [
        String(p.number),
        String(p.first * factor),
        String(p.sectors * factor),
        p.name!.replaceAll(' ', '\\x20'),
        p.id!.toLowerCase(),
      ]);
      expect(ours).toEqual(shown);
    });

    it('has the file systems and labels that blkid finds', () => {
      const kinds: Record<string, string> = { ntfs: 'ntfs', fat32: 'vfat' };
      for (const [i, { path, spec }] of image.volumes.entries()) {
        if (spec.make === 'none') continue;
        const found = Object.fromEntries(
          run('blkid', '-p', '-o', 'export', path)
            .trim()
            .split('\n')
            .map((line) => [line.slice(0, line.indexOf('=')), line.slice(line.indexOf('=') + 1)]),
        );
        const { volume } = survey.disks[0]!.partitions[i]!;
        expect(kinds[volume!.fileSystem]).toBe(found['TYPE']);
        expect(volume!.label).toBe(found['LABEL']!.replaceAll('\\', ''));
      }
    });

    it('counts clusters as ntfsinfo does', () => {
      for (const [i, { path, spec }] of image.volumes.entries()) {
        if (spec.make !== 'ntfs') continue;
        const info = run('ntfsinfo', '-m', path);
        const figure = (name: string) => Number(new RegExp(`${name}:\\s*(\\d+)`).exec(info)![1]);
        const volume = survey.disks[0]!.partitions[i]!.volume!;
        const clusterSize = figure('Cluster Size');
        expect(volume.clusterSize).toBe(clusterSize);
        expect(volume.size).toBe(figure('Volume Size in Clusters') * clusterSize);
        expect(volume.used).toBe(volume.size - figure('Free Clusters') * clusterSize);
        expect(volume.dirty).toBe(false);
        expect(volume.lastUsed).toBeGreaterThan(0);
        expect(volume.lastUsed).toBeLessThanOrEqual(volume.size);
      }
    });

    it('counts FAT32 use as the boot tools do', () => {
      const volume = survey.disks[0]!.partitions[0]!.volume!;
      const free = /(\d+) free clusters|, (\d+)\/(\d+) clusters/.exec(
        run('fsck.fat', '-n', '-v', image.volumes[0]!.path),
      );
      const [used, all] = [Number(free![2]), Number(free![3])];
      expect(volume.size - volume.used!).toBe((all - used) * volume.clusterSize!);
    });

    it('reads only what it needs', async () => {
      const source = openFileSource(image.path);
      await surveyFromImage(source, { machineName: 'test', takenAt: '2026-11-20T09:30:00Z' });
      expect(source.counter.bytesRead).toBeLessThan(2 * 1024 * 1024);
    });

    it('takes the first NTFS volume for Windows and says that this is a guess', () => {
      expect(survey.notes!.join(' ')).toContain('Partition 3 is taken for the Windows volume');
    });
  },
);

describe('images that are not in order', () => {
  let image: MadeImage;
  beforeAll(() => {
    image = makeImage(CLINIC_VOLUMES);
  });
  afterAll(() => image.remove());

  const damaged = async (offset: number, bytes: number[], work: () => Promise<void>) => {
    const file = openSync(image.path, 'r+');
    const before = Buffer.alloc(bytes.length);
    readSync(file, before, 0, before.length, offset);
    writeSync(file, Buffer.from(bytes), 0, bytes.length, offset);
    closeSync(file);
    try {
      await work();
    } finally {
      const again = openSync(image.path, 'r+');
      writeSync(again, before, 0, before.length, offset);
      closeSync(again);
    }
  };
  const message = async () => {
    const outcome = await surveyFromImage(openFileSource(image.path), {
      machineName: 'test',
      takenAt: '2026-11-20T09:30:00Z',
    });
    return outcome.ok ? `read: ${outcome.value.notes!.join(' ')}` : outcome.problems[0]!.message;
  };

  it('tells a volume marked dirty', async () => {
    const windows = image.volumes[2]!;
    const bytes = readFileSync(windows.path);
    // $VOLUME_INFORMATION of record 3: version 3.1, then the flags.
    const mft = Number(bytes.readBigUInt64LE(0x30)) * 4096;
    const record = mft + 3 * 1024;
    let attribute = record + bytes.readUInt16LE(record + 0x14);
    while (bytes.readUInt32LE(attribute) !== 0x70) attribute += bytes.readUInt32LE(attribute + 4);
    const flags = windows.first * 512 + attribute + bytes.readUInt16LE(attribute + 0x14) + 10;
    await damaged(flags, [1, 0], async () => {
      const survey = await read(image.path);
      expect(survey.disks[0]!.partitions[2]!.volume!.dirty).toBe(true);
    });
  });

  it('uses the backup where the primary is damaged, and says so', () =>
    damaged(512 + 40, [9], async () =>
      expect(await message()).toContain('The primary partition table is damaged'),
    ));

  it('uses the primary where the backup is damaged, and says so', () =>
    damaged(statSync(image.path).size - 512 + 40, [9], async () =>
      expect(await message()).toContain('The backup partition table is damaged'),
    ));

  it('refuses two damaged copies', () =>
    damaged(512 + 40, [9], () =>
      damaged(statSync(image.path).size - 512 + 40, [9], async () =>
        expect(await message()).toMatch(/Neither copy of the partition table can be used.*checksum/),
      ),
    ));

  it('names a volume whose NTFS is damaged and reads the rest', () => {
    const { first, spec } = image.volumes[2]!;
    const backup = (first + spec.size * 2048 - 1) * 512;
    return damaged(first * 512 + 0x30, [0xff, 0xff, 0xff], () =>
      damaged(backup, new Array<number>(16).fill(0), async () => {
        const survey = await read(image.path);
        expect(survey.notes!.join(' ')).toContain("Partition 3: its NTFS can't be read");
        expect(survey.disks[0]!.partitions[4]!.volume!.used).toBeGreaterThan(0);
      }),
    );
  });

  it('refuses a truncated image with the reason', async () => {
    const { size } = statSync(image.path);
    truncateSync(image.path, size - 100 * 1024 * 1024);
    expect(await message()).toContain('the file is cut short');
    truncateSync(image.path, size);
  });
});

describe('the same disk inside other files', () => {
  let image: MadeImage;
  let raw: SurveyDocument;
  beforeAll(async () => {
    image = makeImage(CLINIC_VOLUMES);
    raw = await read(image.path);
  });
  afterAll(() => image.remove());

  it.each([
    ['VHD, fixed', 'vpc', 'subformat=fixed,force_size=on', 'disk image (VHD)'],
    ['VHD, dynamic', 'vpc', 'subformat=dynamic,force_size=on', 'disk image (VHD)'],
    ['VHDX, dynamic', 'vhdx', 'subformat=dynamic', 'disk image (VHDX)'],
    ['VHDX, fixed', 'vhdx', 'subformat=fixed', 'disk image (VHDX)'],
    ['VHDX, small blocks', 'vhdx', 'subformat=dynamic,block_size=1M', 'disk image (VHDX)'],
  ])('%s, made by qemu-img, reads like the raw one', async (_, format, options, model) => {
    const path = `${image.path}.${format}`;
    run('qemu-img', 'convert', '-f', 'raw', '-O', format, '-o', options, image.path, path);
    const survey = await read(path);
    expect(survey.disks[0]!.model).toBe(model);
    expect(survey.disks[0]!.partitions).toEqual(raw.disks[0]!.partitions);
  });

  it('refuses a VHD that holds only differences, and a damaged or cut one, with the reason', async () => {
    const path = `${image.path}.vhd`;
    run(
      'qemu-img',
      'convert',
      '-f',
      'raw',
      '-O',
      'vpc',
      '-o',
      'subformat=dynamic,force_size=on',
      image.path,
      path,
    );
    const whole = readFileSync(path);
    const outcome = async (bytes: Buffer) => {
      writeFileSync(path, bytes);
      const result = await surveyFromImage(openFileSource(path), {
        machineName: 'test',
        takenAt: '2026-11-20T09:30:00Z',
      });
      return result.ok ? 'read' : `${result.problems[0]!.code}: ${result.problems[0]!.message}`;
    };
    const changed = (at: number, value: number, withSum: boolean) => {
      const bytes = Buffer.from(whole);
      for (const footer of [0, bytes.length - 512]) {
        const before = bytes[footer + at]!;
        bytes[footer + at] = value;
        if (withSum)
          bytes.writeUInt32BE((bytes.readUInt32BE(footer + 64) - (value - before)) >>> 0, footer + 64);
      }
      return bytes;
    };
    expect(await outcome(changed(63, 4, true))).toContain('vhd-differencing');
    expect(await outcome(changed(63, 4, false))).toContain('checksum of its footer');
    expect(await outcome(whole.subarray(0, 3 * 1024 * 1024))).toContain('cut short');
    expect(await outcome(whole)).toBe('read');
  });
});

describe('an MBR disk with logical drives', () => {
  it('has the partitions that partx shows, and every file system as its formatter left it', async () => {
    const image = makeMbrImage([
      { type: 0x07, kind: 'primary', size: 40, make: 'ntfs', label: 'System', active: true },
      {
        type: 0x07,
        kind: 'primary',
        size: 120,
        make: 'ntfs',
        label: 'Windows',
        inside: (folder) => mkdirSync(`${folder}/Windows`),
      },
      { type: 0x07, kind: 'logical', size: 64, make: 'exfat', label: 'Exhibits' },
      { type: 0x06, kind: 'logical', size: 32, make: 'fat16', label: 'SOUNDS' },
      { type: 0x27, kind: 'logical', size: 20, make: 'ntfs', label: 'Recovery' },
    ]);
    try {
      const survey = await read(image.path);
      const { partitions, table, id } = survey.disks[0]!;
      expect([table, id]).toEqual(['mbr', '6C1F00D5']);
      const shown = run('partx', '--raw', '--noheadings', '--output', 'NR,START,SECTORS', image.path);
      const ours = partitions.map((p) =>
        [p.number, p.first, p.kind === 'extended' ? 0 : p.sectors].join(' '),
      );
      // partx shows of an extended partition only the record it begins with.
      const theirs = shown
        .trim()
        .split('\n')
        .map((line) => line.split(' ').map(Number));
      const extended = partitions.find((p) => p.kind === 'extended')!.number;
      expect(ours.sort()).toEqual(
        theirs.map(([nr, start, size]) => [nr, start, nr === extended ? 0 : size].join(' ')).sort(),
      );
      expect(partitions.map((p) => [p.kind, p.active, p.volume?.fileSystem, p.volume?.label])).toEqual([
        ['primary', true, 'ntfs', 'System'],
        ['primary', false, 'ntfs', 'Windows'],
        ['extended', false, undefined, undefined],
        ['logical', false, 'exfat', 'Exhibits'],
        ['logical', false, 'fat16', 'SOUNDS'],
        ['logical', false, 'ntfs', 'Recovery'],
      ]);
      expect(partitions[1]!.role).toBe('windows');
      const exfat = partitions[3]!.volume!;
      expect(exfat.used).toBeGreaterThan(0);
      expect(exfat.used).toBeLessThan(exfat.size / 2);
    } finally {
      image.remove();
    }
  });
});

describe('what a volume’s own files tell', () => {
  const volume = (inside: (folder: string) => void) => [
    { name: 'first', type: TYPE.basicData, size: 40, make: 'ntfs' as const, label: 'Ledgers' },
    { name: 'second', type: TYPE.basicData, size: 60, make: 'ntfs' as const, label: 'System', inside },
  ];
  const surveyOf = async (inside: (folder: string) => void) => {
    const image = makeImage(volume(inside));
    try {
      return await read(image.path);
    } finally {
      image.remove();
    }
  };

  it('finds Windows by its folder, even among many files, and not by the order of volumes', async () => {
    const survey = await surveyOf((folder) => {
      for (let i = 0; i < 300; i++) writeFileSync(`${folder}/a long enough file name ${i}.txt`, 'x');
      mkdirSync(`${folder}/Windows`);
    });
    expect(survey.disks[0]!.partitions.map((partition) => partition.role)).toEqual([undefined, 'windows']);
    expect(survey.notes!.join(' ')).not.toContain('is taken for the Windows volume');
  });

  it.each([
    ['a sleeping system', 'HIBR', true],
    ['the setting alone', '\0\0\0\0', undefined],
    ['a system that woke', 'RSTR', undefined],
  ])('tells %s from hiberfil.sys', async (_, header, hibernated) => {
    const survey = await surveyOf((folder) =>
      writeFileSync(`${folder}/hiberfil.sys`, header + 'x'.repeat(100_000)),
    );
    expect(survey.machine.hibernated).toBe(hibernated);
  });

  it('maps used clusters so that they add up', async () => {
    const survey = await surveyOf((folder) => writeFileSync(`${folder}/ballast`, Buffer.alloc(5_000_000)));
    const { clusterMap, used, clusterSize, size } = survey.disks[0]!.partitions[1]!.volume!;
    const sum = clusterMap!.used.reduce((total, one) => total + one, 0);
    expect(sum * clusterSize!).toBe(used);
    expect(clusterMap!.used.length).toBe(Math.ceil(size / clusterSize! / clusterMap!.clustersPerBucket));
    expect(clusterMap!.used.length).toBeLessThanOrEqual(2048);
  });
});

describe('lsblk of this very machine', () => {
  it('is read, or refused for the one thing it may lack: a disk with a partition table', () => {
    const output: unknown = JSON.parse(run('lsblk', '--json', '--bytes', '--output-all'));
    if (!isLsblk(output)) throw new Error('lsblk printed something else');
    const outcome = surveyFromLsblk(output, { machineName: 'this one', takenAt: '2026-11-20T09:30:00Z' });
    const tables = JSON.stringify(output).match(/"pttype":"(gpt|dos)"/g) ?? [];
    if (tables.length > 0) expect(outcome.ok).toBe(true);
    else expect(!outcome.ok && outcome.problems[0]!.code).toBe('lsblk-empty');
  });
});
