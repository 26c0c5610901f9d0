import { describe, expect, it } from 'vitest';
import { GIB, MIB } from '../units';
import { isLsblk, surveyFromLsblk } from './fromLsblk';
import { machineOf, type SurveyDocument } from '.';

/** Shaped like the output of util-linux 2.38; the machine is made up. */
const part = (name: string, startMib: number, mib: number, more: object) => ({
  name,
  type: 'part',
  start: startMib * 2048,
  size: mib * MIB,
  fssize: null,
  fsused: null,
  ...more,
});
const gptDisk = (more: object = {}) => ({
  name: 'nvme0n1',
  type: 'disk',
  size: 100 * GIB,
  model: 'made-up NVMe ',
  serial: 'GT-LSBLK-01',
  tran: 'nvme',
  rota: false,
  'log-sec': 512,
  pttype: 'gpt',
  ptuuid: '47540000-0000-4000-8000-0000000000aa',
  children: [
    part('nvme0n1p1', 1, 260, {
      parttype: 'c12a7328-f81f-11d2-ba4b-00a0c93ec93b',
      partuuid: '47540000-0000-4000-8000-000000000001',
      fstype: 'vfat',
      label: 'EFI',
    }),
    part('nvme0n1p3', 277, 80_000, {
      parttype: 'ebd0a0a2-b9e5-4433-87c0-68b6b72699c7',
      partuuid: '47540000-0000-4000-8000-000000000003',
      fstype: 'ntfs',
      label: 'Windows',
      fssize: 80_000 * MIB - 4096,
      fsused: 70_000 * MIB,
    }),
    part('nvme0n1p4', 80_277, 900, {
      parttype: 'de94bba4-06d1-4d40-a16a-bfd50179d6ac',
      partuuid: '47540000-0000-4000-8000-000000000004',
      fstype: 'ntfs',
      partflags: '0x8000000000000001',
    }),
    part('nvme0n1p5', 81_177, 9_000, {
      parttype: 'ebd0a0a2-b9e5-4433-87c0-68b6b72699c7',
      partuuid: '47540000-0000-4000-8000-000000000005',
      fstype: 'BitLocker',
    }),
  ],
  ...more,
});
const options = { machineName: 'Pinwheel Bakery, till', takenAt: '2026-11-20T09:30:00Z' };
const read = (...blockdevices: object[]): SurveyDocument => {
  const outcome = surveyFromLsblk({ blockdevices }, options);
  if (!outcome.ok) throw new Error(JSON.stringify(outcome.problems));
  return outcome.value;
};

describe('lsblk output', () => {
  it('gives disks, places, kinds and what was mounted; gaps are named', () => {
    const survey = read({ name: 'sr0', type: 'rom', size: 0 }, gptDisk());
    const [disk] = machineOf(survey).disks;
    expect(disk).toMatchObject({
      number: 0,
      model: 'made-up NVMe',
      serial: 'GT-LSBLK-01',
      media: 'nvme',
      table: 'gpt',
    });
    expect(
      disk!.partitions.map((p) => [p.number, p.role, p.volume?.fileSystem, p.first / 2048, p.sectors / 2048]),
    ).toEqual([
      [1, 'efi', 'fat32', 1, 260],
      [3, 'windows', 'ntfs', 277, 80_000],
      [4, 'recovery', 'ntfs', 80_277, 900],
      [5, 'data', 'encrypted', 81_177, 9_000],
    ]);
    expect(disk!.partitions[1]!.volume).toMatchObject({ used: 70_000 * MIB, size: 80_000 * MIB - 4096 });
    expect(disk!.partitions[2]!.attributes).toBe('0x8000000000000001');
    expect(survey.notes!.join(' ')).toContain('Disk 0, partition 1: used space is not known');
    expect(survey.notes!.join(' ')).toContain('does not tell drive letters');
  });

  it('counts starts in 512-byte units on disks with 4,096-byte sectors too', () => {
    const [disk] = read(gptDisk({ 'log-sec': 4096 })).disks;
    expect(disk!.partitions[1]).toMatchObject({ first: 277 * 256, sectors: 80_000 * 256 });
  });

  it('puts logical drives inside the extended partition, of which lsblk shows only a sector', () => {
    const survey = read({
      ...gptDisk({ name: 'sda', pttype: 'dos', ptuuid: '6c1f00d5', tran: 'sata', rota: true }),
      children: [
        part('sda1', 1, 500, { parttype: '0x7', fstype: 'ntfs', partflags: '0x80' }),
        part('sda2', 501, 1, { parttype: '0xf', size: 1024 }),
        part('sda5', 502, 2000, { parttype: '0x7', fstype: 'ntfs' }),
      ],
    });
    const { partitions, media } = survey.disks[0]!;
    expect(media).toBe('hdd');
    expect(partitions.map((p) => [p.kind, p.type, p.active])).toEqual([
      ['primary', '0x07', true],
      ['extended', '0x0F', false],
      ['logical', '0x07', false],
    ]);
    // What is free behind the last drive is inside: the extended partition reaches up to the end of the disk.
    expect(partitions[1]!.first + partitions[1]!.sectors).toBe(survey.disks[0]!.sectors);
    expect(survey.notes!.join(' ')).toContain('it is taken to reach up to the end of the disk');
  });

  it.each([
    ['FAT16', {}, 'fat16'],
    ['FAT32', {}, 'fat32'],
    ['FAT12', {}, 'unknown'],
    [null, { parttype: '0x6' }, 'fat16'],
    [null, { parttype: '0xe' }, 'fat16'],
    [null, { parttype: '0xc' }, 'fat32'],
    [null, { parttype: '0x1' }, 'unknown'],
    [null, {}, 'fat32'],
  ])('tells which FAT vfat is: version %s, %j', (fsver, more, fileSystem) => {
    const survey = read({
      ...gptDisk({ name: 'sda', pttype: 'dos', ptuuid: '6c1f00d5' }),
      children: [part('sda1', 1, 500, { parttype: '0x7', fstype: 'vfat', fsver, ...more })],
    });
    expect(survey.disks[0]!.partitions[0]!.volume!.fileSystem).toBe(fileSystem);
  });

  it('ends an extended partition before the next primary one, wherever its drives end', () => {
    const survey = read({
      ...gptDisk({ name: 'sda', pttype: 'dos', ptuuid: '6c1f00d5' }),
      children: [
        part('sda1', 1, 500, { parttype: '0xf', size: 1024 }),
        part('sda5', 2, 100, { parttype: '0x7', fstype: 'ntfs' }),
        part('sda2', 600, 500, { parttype: '0x7', fstype: 'ntfs' }),
      ],
    });
    const { partitions } = survey.disks[0]!;
    const [extended] = partitions;
    expect([extended!.kind, extended!.first + extended!.sectors]).toEqual(['extended', 600 * 2048]);
  });

  it('says in a note which volume it took for Windows, or that nobody knows', () => {
    expect(read(gptDisk()).notes!.join()).toContain('Partition 3 is taken for the Windows volume');
    const children = gptDisk().children.map((one) => ({ ...one, label: null, fstype: 'ntfs' }));
    const doubtful = read(gptDisk({ children }));
    expect(doubtful.notes!.join()).toContain('partition 3 and partition 5 may all be it');
    expect(machineOf(doubtful).windowsInDoubt).toHaveLength(2);
  });

  it('keeps its notes within what a survey holds', () => {
    const children = Array.from({ length: 400 }, (_, i) =>
      part(`sda${i + 1}`, 1 + i, 1, {
        parttype: 'ebd0a0a2-b9e5-4433-87c0-68b6b72699c7',
        fstype: 'ntfs',
        partn: i + 1,
      }),
    );
    const { notes } = read(gptDisk({ children }));
    expect(notes).toHaveLength(200);
    expect(notes!.at(-1)).toMatch(/^and \d+ more notes/);
  });

  it.each([
    ['no disk with a table', [{ name: 'vda', type: 'disk', size: GIB, pttype: null }], 'lsblk-empty'],
    ['sizes that are no numbers', [gptDisk({ size: '100G' })], 'lsblk-bytes'],
    ['things that are no devices', [null, 7, 'disk'], 'lsblk-empty'],
    [
      'overlapping partitions',
      [{ ...gptDisk(), children: [gptDisk().children[1], { ...gptDisk().children[2], start: 600_000 }] }],
      'overlap',
    ],
  ])('refuses %s', (_, blockdevices, code) => {
    const outcome = surveyFromLsblk({ blockdevices: blockdevices as unknown[] }, options);
    expect(!outcome.ok && outcome.problems[0]!.code).toBe(code);
  });

  it('is told from a survey document', () => {
    expect(isLsblk({ blockdevices: [] })).toBe(true);
    expect(isLsblk({ format: 'gentle-tide/survey' })).toBe(false);
    expect(isLsblk(null)).toBe(false);
  });
});
