import { describe, expect, it } from 'vitest';
import { clinic } from '../test/clinic';
import { listExactFigures, exactTextOf, machineOf } from '../survey';
import { diskWith } from '../survey/sketch';
import { nameAttributes, listHidden, isShort, isShortVolume, typeName } from '.';

describe('what Windows hides from people', () => {
  it('is what has no letter, slivers, and room behind a misplaced table', () => {
    const [disk] = machineOf(clinic()).disks;
    const what = listHidden(disk!).map((one) => one.what);
    expect(what).toEqual(
      expect.arrayContaining(['EFI, partition 1', 'Reserved, partition 2', 'Recovery, partition 4']),
    );
    expect(what.some((text) => text.includes('partition 3'))).toBe(false);
    expect(what).toContain('a gap below 1 MiB');
    const enlarged = diskWith({ size: 2002, backupHeader: 1002 * 2048 - 1 }, [
      { role: 'windows', size: 500, used: 100, letter: 'C' },
    ]);
    const behind = listHidden(enlarged).find((one) => one.what === 'room behind the backup table');
    expect(behind!.bytes / 2 ** 20).toBeCloseTo(1000, 0);
  });
});

describe('types and attributes in words', () => {
  it('name what is known and count what is not', () => {
    expect(typeName('DE94BBA4-06D1-4D40-A16A-BFD50179D6AC')).toBe('Windows recovery');
    expect(typeName('0x27')).toBe('0x27 hidden recovery');
    expect(typeName('01234567-0000-0000-0000-000000000000')).toBe('type 01234567…');
    expect(nameAttributes('0x8000000000000001')).toEqual(['required', 'no letter']);
    expect(nameAttributes('0x0000000000000100')).toEqual(['1 unknown']);
    expect(nameAttributes('0x0000000000000000')).toEqual([]);
  });
});

describe('short of room', () => {
  it('is under 10 % or 20 GiB free, the smaller', () => {
    const gib = 2 ** 30;
    expect(isShort(100 * gib, 90.5 * gib)).toBe(true);
    expect(isShort(100 * gib, 89 * gib)).toBe(false);
    expect(isShort(1000 * gib, 979 * gib)).toBe(false);
    expect(isShort(1000 * gib, 981 * gib)).toBe(true);
    const [disk] = machineOf(clinic()).disks;
    expect(disk!.partitions.map(isShortVolume)).toEqual([false, false, true, false, false]);
  });
});

describe('exact figures', () => {
  it('are headed by disk and serial and give MiB and sectors', () => {
    const disk = { ...machineOf(clinic()).disks[0]!, serial: 'GT-1' };
    const partition = disk.partitions[4]!;
    const text = exactTextOf(disk, 'partition 5', listExactFigures(disk, partition, partition));
    expect(text.split('\n')[0]).toBe('Disk 0, serial GT-1: partition 5');
    expect(text).toContain(`Start: 123,123 MiB · sector ${(123_123 * 2048).toLocaleString('en-GB')}`);
  });
});
