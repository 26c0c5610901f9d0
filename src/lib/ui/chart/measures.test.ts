import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { stripOf } from '$core/chart';
import { layoutOf } from '$core/steps';
import { diskWith } from '$core/survey/sketch';
import { describeBasin, nameMoment, PAD, makeTideOptions } from './measures';

/** A disk of so many volumes with room between them, the smallest as small as they get. */
const diskOf = (partitions: number) =>
  diskWith(
    { size: partitions * 2 + 200_000 },
    Array.from({ length: partitions }, (_, i) => ({
      role: 'data' as const,
      size: i === 0 ? 100_000 : 1,
      gap: 1,
    })),
  );

describe('the measures of a chart', () => {
  it('leave every basin wide enough to be pointed at, and fill the room there is', () => {
    fc.assert(
      fc.property(
        fc.integer({ min: 1, max: 60 }),
        fc.integer({ min: 100, max: 3000 }),
        (partitions, room) => {
          const disk = diskOf(partitions);
          const options = makeTideOptions(disk, room, 'legible');
          expect(options.width).toBeGreaterThanOrEqual(room - 2 * PAD);
          const basins = stripOf(disk, layoutOf(disk), options);
          const last = basins.at(-1)!;
          expect(last.x + last.width).toBeCloseTo(options.width, 6);
          // Twice as many basins as partitions: those may share what was reckoned for one.
          for (const { width } of basins) expect(width).toBeGreaterThan(3);
        },
      ),
      { numRuns: 60 },
    );
  });

  it('have no space between basins where lengths are to be compared', () => {
    expect(makeTideOptions(diskOf(3), 800, 'true').gap).toBe(0);
    expect(makeTideOptions(diskOf(3), 800, 'legible').gap).toBeGreaterThan(0);
  });
});

describe('texts of a chart', () => {
  it('call each moment by a name of its own', () => {
    for (const steps of [0, 1, 5]) {
      const names = Array.from({ length: steps + 1 }, (_, i) => nameMoment(i, steps));
      expect(new Set(names).size).toBe(names.length);
      expect(names[0]).toBe('As found');
      if (steps > 0) expect(names.at(-1)).toBe('As left');
    }
  });

  it('say of a basin what it is, how large, how full and where', () => {
    const disk = diskWith({ size: 2048 }, [
      { role: 'data', size: 1024, used: 256, letter: 'D', label: 'Archive' },
    ]);
    const [full, bed] = stripOf(disk, layoutOf(disk), makeTideOptions(disk, 800, 'true'));
    expect(describeBasin(full!, 'As found', disk.sectorSize)).toBe(
      'As found: D: Archive, 1.0 GiB, 25 % used, starts at 1 MiB',
    );
    expect(describeBasin(bed!, 'As left', disk.sectorSize)).toMatch(
      /^As left: Unallocated, .* starts at 1,025 MiB$/,
    );
  });
});
