import { describe, expect, it } from 'vitest';
import { TYPE } from '../disk';
import { GIB } from '../units';
import { withWindowsNamed } from './whichWindows';
import { checkSurvey, machineOf, type SurveyDisk, type SurveyDocument, type SurveyPartition } from '.';

/** A volume as a survey from outside gives it: without letters, and without a word of what it is for. */
interface Seen {
  gib: number;
  label?: string;
  fileSystem?: 'ntfs' | 'fat32' | 'encrypted';
  type?: string;
  active?: boolean;
  letter?: string;
  role?: SurveyPartition['role'];
}
const PER_GIB = GIB / 512;

function diskOf(number: number, seen: Seen[], table: 'gpt' | 'mbr' = 'gpt'): SurveyDisk {
  let at = 2048;
  const partitions = seen.map(({ gib, label, fileSystem = 'ntfs', type, active, letter, role }, i) => {
    const sectors = Math.round((gib * PER_GIB) / 2048) * 2048;
    const partition: SurveyPartition = {
      number: i + 1,
      first: at,
      sectors,
      type: type ?? (table === 'gpt' ? TYPE.basicData : '0x07'),
      ...(active ? { active } : {}),
      ...(letter ? { letter } : {}),
      ...(role ? { role } : {}),
      volume: { fileSystem, size: sectors * 512, label: label ?? '' },
    };
    at += sectors;
    return partition;
  });
  return { number, media: 'nvme', sectorSize: 512, sectors: at + 4096, table, partitions };
}
const survey = (...disks: SurveyDisk[]): SurveyDocument => ({
  format: 'gentle-tide/survey',
  version: 1,
  takenAt: '2026-11-20T09:30:00Z',
  machine: { name: 'made up', firmware: 'bios' },
  disks,
});
const EFI: Seen = { gib: 0.25, fileSystem: 'fat32', type: TYPE.efi };

/** "disk/partition" of each Windows volume, of each that only starts it, and of those in doubt. */
function judged(...disks: SurveyDisk[]) {
  const document = survey(...disks);
  expect(checkSurvey(document)).toEqual([]);
  const machine = machineOf(document);
  const of = (role: string) =>
    machine.disks.flatMap((disk) =>
      disk.partitions.filter((one) => one.role === role).map((one) => `${disk.number}/${one.number}`),
    );
  const doubt = machine.windowsInDoubt.map((one) => `${one.disk}/${one.partition}`);
  return { windows: of('windows'), system: of('system'), doubt };
}

describe('which volume is Windows, where no letter says it', () => {
  it.each<[string, SurveyDisk[], Partial<ReturnType<typeof judged>>]>([
    ['the only one with NTFS', [diskOf(0, [EFI, { gib: 100 }])], { windows: ['0/2'], doubt: [] }],
    [
      'not a small active one: that only starts it',
      [diskOf(0, [{ gib: 0.5, active: true }, { gib: 100 }], 'mbr')],
      { windows: ['0/2'], system: ['0/1'], doubt: [] },
    ],
    [
      'an active one as large as Windows: C: of an older install',
      [
        diskOf(
          0,
          [
            { gib: 60, active: true },
            { gib: 300, label: 'Windows backup' },
          ],
          'mbr',
        ),
      ],
      { windows: ['0/1'], system: [], doubt: [] },
    ],
    [
      'a single active one of any size',
      [diskOf(0, [{ gib: 20, active: true }], 'mbr')],
      { windows: ['0/1'], system: [] },
    ],
    [
      'nobody knows: two of the size',
      [diskOf(0, [EFI, { gib: 100 }, { gib: 200 }])],
      { windows: [], doubt: ['0/2', '0/3'] },
    ],
    [
      'nobody knows: both are said to be active',
      [
        diskOf(
          0,
          [
            { gib: 60, active: true },
            { gib: 90, active: true },
          ],
          'mbr',
        ),
      ],
      { windows: [], system: [], doubt: ['0/1', '0/2'] },
    ],
    [
      'perhaps the encrypted one, and not the other for being readable',
      [diskOf(0, [EFI, { gib: 200, fileSystem: 'encrypted' }, { gib: 300, label: 'Sounds' }])],
      { windows: [], doubt: ['0/2', '0/3'] },
    ],
    [
      'the one that is called so, where nothing else tells',
      [diskOf(0, [EFI, { gib: 100, label: 'Windows' }, { gib: 200, label: 'Archive' }])],
      { windows: ['0/2'], doubt: [] },
    ],
    [
      'on the disk that the machine starts from, not on each disk',
      [diskOf(0, [{ gib: 900 }]), diskOf(1, [EFI, { gib: 200 }])],
      { windows: ['1/2'], doubt: [] },
    ],
    [
      'nobody knows: a data disk beside it looks the same',
      [diskOf(0, [{ gib: 200 }], 'mbr'), diskOf(1, [{ gib: 300 }], 'mbr')],
      { windows: [], doubt: ['0/1', '1/1'] },
    ],
    [
      'none: nothing that could be it',
      [diskOf(0, [{ gib: 100, fileSystem: 'fat32' }])],
      { windows: [], doubt: [] },
    ],
    [
      'as the letters have it, and an active one without letter only starts it if it is small',
      [diskOf(0, [{ gib: 0.5, active: true }, { gib: 100, letter: 'C' }, { gib: 200 }], 'mbr')],
      { windows: ['0/2'], system: ['0/1'], doubt: [] },
    ],
    [
      'as the survey says it',
      [diskOf(0, [{ gib: 100, role: 'data' }, { gib: 200, role: 'windows' }, { gib: 300 }])],
      { windows: ['0/2'], doubt: [] },
    ],
  ])('is %s', (_, disks, expected) => {
    expect(judged(...disks)).toMatchObject(expected);
  });

  it('is settled by somebody’s word, that one is it or that none is', () => {
    const disk = diskOf(0, [EFI, { gib: 100 }, { gib: 200 }]);
    const document = {
      ...survey(disk),
      notes: ['Which volume is Windows is not known: lsblk does not say.', 'kept'],
    };
    const { windowsInDoubt } = machineOf(document);
    const one = withWindowsNamed(document, windowsInDoubt, { disk: 0, partition: 3 });
    expect(machineOf(one)).toMatchObject({ windowsInDoubt: [], windowsGuessed: null });
    expect(one.disks[0]!.partitions.map(({ role }) => role)).toEqual([undefined, 'data', 'windows']);
    expect(one.notes).toEqual(['kept', 'Partition 3 on disk 0 was named as the Windows volume by hand.']);
    const none = withWindowsNamed(document, windowsInDoubt, null);
    expect(machineOf(none).windowsInDoubt).toEqual([]);
    expect(machineOf(none).disks[0]!.partitions.some(({ role }) => role === 'windows')).toBe(false);
  });
});
