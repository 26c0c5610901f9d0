import { execFileSync } from 'node:child_process';
import { closeSync, openSync, readFileSync, readSync, statSync, truncateSync, writeSync } from 'node:fs';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { checkedSource, type ByteSource } from '../images/source';
import { CLINIC_VOLUMES, makeImage, type MadeImage } from '../../../../scripts/test/image';
import { surveyFromImage, type SurveyDocument } from '.';

const fileSource = (path: string): ByteSource & { bytesRead: number } => {
  const file = openSync(path, 'r');
  const counter = { bytesRead: 0 };
  const source = checkedSource(statSync(path).size, async (offset, length) => {
    const bytes = new Uint8Array(length);
    counter.bytesRead += readSync(file, bytes, 0, length, offset);
    return bytes;
  });
  return Object.assign(counter, source);
};

const read = async (path: string): Promise<SurveyDocument> => {
  const outcome = await surveyFromImage(fileSource(path), {
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
      const source = fileSource(image.path);
      await surveyFromImage(source, { machineName: 'test', takenAt: '2026-11-20T09:30:00Z' });
      expect(source.bytesRead).toBeLessThan(2 * 1024 * 1024);
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
    const outcome = await surveyFromImage(fileSource(image.path), {
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

  it('names a volume whose NTFS is damaged and reads the rest', () =>
    damaged(image.volumes[2]!.first * 512 + 0x30, [0xff, 0xff, 0xff], async () => {
      const survey = await read(image.path);
      expect(survey.notes!.join(' ')).toContain("Partition 3: its NTFS can't be read");
      expect(survey.disks[0]!.partitions[4]!.volume!.used).toBeGreaterThan(0);
    }));

  it('refuses a truncated image with the reason', async () => {
    const { size } = statSync(image.path);
    truncateSync(image.path, size - 100 * 1024 * 1024);
    expect(await message()).toContain('the file is cut short');
    truncateSync(image.path, size);
  });
});
