import { describe, expect, it } from 'vitest';
import { bytesOf, endOf } from '../disk';
import { machineOf } from '../survey';
import { diskSpec, surveyWith, type DiskSpec, type PartitionSpec } from '../survey/sketch';
import { MIB } from '../units';
import { tableConversion } from './tableConversion';

const system: PartitionSpec = { role: 'system', size: 500, used: 41, active: true };
const windows: PartitionSpec = { role: 'windows', size: 60_000, used: 50_000, letter: 'C' };
const data: PartitionSpec = { role: 'data', size: 20_000, used: 100, letter: 'D' };

/** What is said of a disk, and the disk. */
function said(partitions: PartitionSpec[], spec: Partial<DiskSpec> = {}) {
  const taken = partitions.reduce((sum, one) => sum + one.size + (one.gap ?? 0), 0);
  const [disk] = machineOf(
    surveyWith(diskSpec({ size: taken + 3, table: 'mbr', ...spec }, partitions)),
  ).disks;
  return { disk: disk!, outcome: tableConversion(disk!) };
}

describe('what Windows converts from MBR to GPT', () => {
  it('uses the system partition again where it has the size for it', () => {
    for (const size of [100, 500, 1024]) {
      const { disk, outcome } = said([{ ...system, size }, windows, data]);
      const [first] = disk.partitions;
      expect(outcome).toMatchObject({
        ok: true,
        value: { reused: { number: 1 }, efi: { first: first!.first, sectors: first!.sectors } },
      });
    }
  });

  it('takes the room from the end of Windows where there is none, where it is too small, or so large that it may hold data', () => {
    for (const before of [[], [{ ...system, size: 99 }], [{ ...system, size: 1025 }]]) {
      const active = before.length === 0;
      const { disk, outcome } = said([...before, { ...windows, active }, data]);
      const found = disk.partitions.find(({ role }) => role === 'windows')!;
      if (!outcome.ok) throw new Error(outcome.problems[0]!.message);
      const { efi, windows: then, reused } = outcome.value;
      expect(reused).toBeNull();
      expect(bytesOf(disk, efi)).toBe(100 * MIB);
      expect([endOf(efi), endOf(then)]).toEqual([endOf(found), efi.first]);
    }
    // FAT32 takes 260 MiB with large sectors, so that a system partition of 200 is too small there.
    const large = said([{ ...system, size: 200 }, windows], { sectorSize: 4096 });
    expect(large.outcome).toMatchObject({ ok: true, value: { reused: null } });
    if (large.outcome.ok) expect(bytesOf(large.disk, large.outcome.value.efi)).toBe(260 * MIB);
  });

  it('leaves the table its room at both ends', () => {
    const { disk, outcome } = said([system, windows]);
    if (!outcome.ok) throw new Error('it can');
    // 33 sectors behind the protective record, 33 at the end (UEFI 2.10, 5.3.1).
    expect(outcome.value.usable).toEqual({ first: 34, sectors: disk.sectors - 34 - 33 });
    const toTheEnd = said([system, windows], { size: 500 + 60_000 + 1 });
    expect(toTheEnd.outcome).toMatchObject({ ok: false });
  });

  it.each<[string, PartitionSpec[], Partial<DiskSpec>, RegExp]>([
    ['is GPT', [windows], { table: 'gpt' }, /GUID partition table already/],
    ['has no Windows', [{ ...data, active: true }], {}, /starts from itself/],
    ['has four primaries', [system, windows, data, data], {}, /4 primary partitions; Windows converts 3/],
    ['holds another system', [system, windows, { role: 'unknown', size: 5000 }], {}, /type 0x83/],
    ['is not started from', [{ ...system, active: false }, windows], {}, /No partition is active/],
    ['is full', [{ ...windows, used: 59_950, active: true }], {}, /has not the 100 MiB to spare/],
  ])('refuses a disk that %s', (_, partitions, spec, says) => {
    const { outcome } = said(partitions, spec);
    expect(outcome.ok ? '' : outcome.problems[0]!.message).toMatch(says);
  });
});
