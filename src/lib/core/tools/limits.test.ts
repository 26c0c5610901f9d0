import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import type { Volume } from '../disk';
import { GIB, MIB } from '../units';
import { LIVE_MOVER, OFFLINE_MOVER, WINDOWS } from './tools';
import { canFormat, cannotHave, findOfflineFloor, findRunningFloor, sizeLimit } from '.';

const volume = (more: Partial<Volume>): Volume => ({
  fileSystem: 'ntfs',
  label: '',
  clusterSize: 4096,
  size: 100 * GIB,
  used: 20 * GIB,
  smallestRunning: null,
  smallestOffline: null,
  lastUsed: null,
  lastImmovable: null,
  immovableFile: null,
  clusterMap: null,
  dirty: false,
  bootSectorDamaged: false,
  encryption: { state: 'off', percent: 0, usedOnly: true },
  ...more,
});

describe('the floor while Windows runs (domain facts 7)', () => {
  it('is what Windows offers, where it was asked', () =>
    expect(findRunningFloor(volume({ smallestRunning: 60 * GIB, lastImmovable: 80 * GIB }))).toBe(60 * GIB));

  it('is not the last used cluster: Windows moves ordinary files', () =>
    expect(findRunningFloor(volume({ lastUsed: 99 * GIB }))).toBe(21 * GIB));

  it('lies behind what can’t be moved, but never below used and margin', () => {
    expect(findRunningFloor(volume({ lastUsed: 99 * GIB, lastImmovable: 47 * GIB }))).toBe(47 * GIB);
    expect(findRunningFloor(volume({ lastImmovable: 3 * GIB }))).toBe(21 * GIB);
    fc.assert(
      fc.property(fc.integer({ min: 0, max: 100 }), fc.integer({ min: 0, max: 100 }), (used, immovable) => {
        const floor = findRunningFloor(volume({ used: used * GIB, lastImmovable: immovable * GIB }))!;
        expect(floor).toBeGreaterThanOrEqual(Math.max(used, immovable) * GIB);
        expect(floor).toBeLessThanOrEqual(100 * GIB);
      }),
    );
  });

  it('is not known where nothing is', () => expect(findRunningFloor(volume({ used: null }))).toBeNull());
});

describe('a FAT keeps its type (domain facts 5; FAT specification 1.03)', () => {
  /** The type by the count of clusters alone, as every driver tells it. */
  const typeBy = (clusters: number) => (clusters < 4085 ? 'fat12' : clusters < 65_525 ? 'fat16' : 'fat32');

  it.each(['fat32', 'fat16'] as const)('%s, shrunk as far as it may be, by any tool', (fileSystem) => {
    fc.assert(
      fc.property(
        fc.constantFrom(512, 1024, 4096, 16384, 32768),
        fc.double({ min: 0, max: 1, noNaN: true }),
        (clusterSize, share) => {
          const most = fileSystem === 'fat16' ? 65_524 : 4_000_000;
          const least = fileSystem === 'fat16' ? 4085 : 65_525;
          const clusters = Math.floor(least + share * (most - least));
          const entry = fileSystem === 'fat16' ? 2 : 4;
          // What stands before the clusters: two tables as large as they are now, and what formatters reserve.
          const before = (size: number) => 2 * entry * Math.ceil(size / clusterSize) + 64 * 1024;
          const size = Math.ceil((clusters * clusterSize + before(clusters * clusterSize)) / 512) * 512;
          const one = volume({ fileSystem, clusterSize, size, used: 0 });
          for (const floor of [findOfflineFloor(one)!, findRunningFloor(one)!]) {
            expect(floor).toBeLessThanOrEqual(size);
            const left = Math.floor((floor - before(size)) / clusterSize);
            if (floor < size) expect(typeBy(left)).toBe(fileSystem);
          }
        },
      ),
    );
  });

  it('other file systems have no such floor', () =>
    expect(findOfflineFloor(volume({ fileSystem: 'ntfs', used: 0, size: 10 * GIB }))).toBe(GIB));

  it('a new one has the clusters that it must have', () => {
    const disk = { sectorSize: 512 };
    expect(cannotHave(disk, { fileSystem: 'fat32', clusterSize: 4096 }, 200 * MIB)).toContain('another type');
    expect(cannotHave(disk, { fileSystem: 'fat32', clusterSize: 4096 }, 300 * MIB)).toBeNull();
    expect(cannotHave(disk, { fileSystem: 'ntfs', clusterSize: 4096 }, MIB)).toBeNull();
    expect(cannotHave(disk, { fileSystem: 'fat32', clusterSize: 32768 }, 3000 * GIB)).toContain('ends at');
  });
});

describe('the largest size of a file system', () => {
  const TIB = 1024 * GIB;
  it.each([
    ['FAT32 by its sectors, whatever its clusters', 'fat32', 32768, 512, (2 ** 32 - 1) * 512, 'sectors'],
    ['FAT32 with larger sectors', 'fat32', 131072, 4096, (2 ** 32 - 1) * 4096, 'sectors'],
    ['FAT32 by its clusters, where they are small', 'fat32', 512, 512, (2 ** 28 - 12) * 512, 'clusters'],
    ['FAT16', 'fat16', 32768, 512, 65_524 * 32768, 'clusters'],
    ['NTFS', 'ntfs', 4096, 512, (2 ** 32 - 1) * 4096, 'clusters'],
  ] as const)('%s', (_, fileSystem, clusterSize, sectorSize, bytes, by) => {
    expect(sizeLimit({ sectorSize }, { volume: { fileSystem, clusterSize } })).toEqual({ bytes, by });
  });

  it('FAT32 at 512 bytes a sector stays below 2 TiB', () =>
    expect(
      sizeLimit({ sectorSize: 512 }, { volume: { fileSystem: 'fat32', clusterSize: 65536 } })!.bytes,
    ).toBeLessThan(2 * TIB));

  it('is not known of others', () =>
    expect(sizeLimit({ sectorSize: 512 }, { volume: { fileSystem: 'refs', clusterSize: 4096 } })).toBeNull());
});

it('Windows’ own formatter makes no FAT32 above 32 GiB; others do', () => {
  expect(canFormat(WINDOWS, 'fat32', 32 * GIB)).toBe(true);
  expect(canFormat(WINDOWS, 'fat32', 32 * GIB + MIB)).toBe(false);
  expect(canFormat(WINDOWS, 'ntfs', 900 * GIB)).toBe(true);
  for (const tool of [LIVE_MOVER, OFFLINE_MOVER]) expect(canFormat(tool, 'fat32', 900 * GIB)).toBe(true);
});
