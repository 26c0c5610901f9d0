import {
  copyTime,
  donorBound,
  exposedBytes,
  marginOf,
  moveBytes,
  findOfflineFloor,
  spareOf,
  countUsedBeyond,
} from '../tools';
import { applyStep, layoutOf, type Step } from '../steps';
import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { diskWith } from '../survey/sketch';
import { GIB, MIB } from '../units';

const gib = (value: number) => value * 1024; // the builder counts in MiB
const disk = diskWith({ size: gib(500) }, [
  { role: 'windows', size: gib(100), used: gib(95) },
  { role: 'reserved', size: 16 },
  { role: 'data', size: gib(200), used: gib(50) },
  { role: 'unknown', size: gib(10) },
]);
const [windows, reserved, data, unknown] = disk.partitions as [
  (typeof disk.partitions)[0],
  (typeof disk.partitions)[0],
  (typeof disk.partitions)[0],
  (typeof disk.partitions)[0],
];
const volume = data.volume!;

describe('floors and bounds (domain facts 7)', () => {
  it('leave a margin of 1 GiB or 5 % of used, never more than is free', () => {
    expect(marginOf({ size: 100 * GIB }, 10 * GIB)).toBe(GIB);
    expect(marginOf({ size: 100 * GIB }, 50 * GIB)).toBe(2.5 * GIB);
    expect(marginOf({ size: 100 * GIB }, 99.5 * GIB)).toBe(0.5 * GIB);
  });

  it('take the smallest offline size where it was read, else used and margin', () => {
    expect(findOfflineFloor(volume)).toBe(52.5 * GIB);
    expect(findOfflineFloor({ ...volume, smallestOffline: 51 * GIB })).toBe(51 * GIB);
    expect(findOfflineFloor({ ...volume, used: null })).toBeNull();
  });

  it('count what is to be kept free of the size afterwards', () => {
    expect(donorBound(disk, data, { percent: 50, bytes: 0 })).toBe(100 * GIB);
    expect(donorBound(disk, data, { percent: 0, bytes: 30 * GIB })).toBe(80 * GIB);
    expect(spareOf(disk, data, { percent: 90, bytes: 0 })).toBe(0);
    fc.assert(
      fc.property(fc.integer({ min: 0, max: 95 }), fc.integer({ min: 0, max: 100 }), (percent, keep) => {
        const bound = donorBound(disk, data, { percent, bytes: keep * GIB })!;
        expect(bound % MIB).toBe(0);
        if (bound === 200 * GIB) return; // it has nothing to spare
        expect(bound - volume.used!).toBeGreaterThanOrEqual(
          Math.max(keep * GIB, Math.floor((bound * percent) / 100)),
        );
      }),
    );
  });
});

describe('what a step costs (domain facts 8)', () => {
  it('spreads used bytes evenly, rounded up to clusters', () => {
    expect(countUsedBeyond(volume, 200 * GIB)).toBe(0);
    expect(countUsedBeyond(volume, 100 * GIB)).toBe(25 * GIB);
    expect(countUsedBeyond(volume, 200 * GIB - 1)).toBe(4096);
    expect(() => countUsedBeyond({ ...volume, used: null }, 0)).toThrow(RangeError);
  });

  it('never falls as a volume is made smaller, and never passes what is used by more than a cluster', () => {
    const size = fc.integer({ min: 0, max: 200 * GIB });
    fc.assert(
      fc.property(size, size, (a, b) => {
        const [small, large] = [Math.min(a, b), Math.max(a, b)];
        expect(countUsedBeyond(volume, small)).toBeGreaterThanOrEqual(countUsedBeyond(volume, large));
        expect(countUsedBeyond(volume, small)).toBeLessThan(volume.used! + 4096);
      }),
    );
  });

  it('copies used bytes of what can be read, nothing of reserved, else the whole partition', () => {
    expect([windows, reserved, data, unknown].map((one) => moveBytes(disk, one))).toEqual([
      95 * GIB,
      0,
      50 * GIB,
      10 * GIB,
    ]);
  });

  it('exposes a move only where old and new place intersect', () => {
    const from = { first: 1000, sectors: 500 };
    expect(exposedBytes(from, { first: 1499, sectors: 500 }, 7)).toBe(7);
    expect(exposedBytes(from, { first: 1500, sectors: 500 }, 7)).toBe(0);
  });

  it('takes longer at the low rate', () => expect(copyTime(1200 * MIB, 'nvme')).toEqual({ low: 1, high: 3 }));
});

describe('a step on a layout', () => {
  const facts = { tool: 'offline-mover', id: null, bytesCopied: 0, exposedBytes: 0, why: '' } as const;
  const time = { seconds: { low: 0, high: 0 }, exposedSeconds: { low: 0, high: 0 } };
  const step = (
    verb: 'shrink' | 'move' | 'extend',
    by: { first?: number; sectors?: number },
    number = 3,
  ): Step => {
    const { first, sectors } = disk.partitions.find((one) => one.number === number) ?? data;
    const to = { first: first + (by.first ?? 0), sectors: sectors + (by.sectors ?? 0) };
    return { verb, partition: number, from: { first, sectors }, to, ...facts, ...time };
  };
  const reason = (one: Step) => {
    const result = applyStep(disk, layoutOf(disk), one);
    return result.ok ? 'possible' : result.problems[0]!.message;
  };

  it.each<[string, Step, string]>([
    ['a shrink', step('shrink', { sectors: -2048 }), 'possible'],
    ['a shrink that grows', step('shrink', { sectors: 2048 }), 'that is no shrink'],
    ['a move that changes the size', step('move', { first: 2048, sectors: 1 }), 'that is no move'],
    ['a move onto a neighbour', step('move', { first: 2048 }), 'it would overlap partition 4'],
    ['an extend onto a neighbour', step('extend', { sectors: 2048 }), 'it would overlap partition 4'],
    ['a move off the disk', step('move', { first: 10 ** 10 }), 'it would leave the usable area'],
    ['a shrink to nothing', step('shrink', { sectors: -data.sectors }), 'nothing would be left of it'],
    ['a partition that is not there', step('move', { first: 2048 }, 9), 'there is no partition 9'],
  ])('%s', (_, one, says) => expect(reason(one)).toBe(says));

  it('is refused where the partition is not where the step expects it', () => {
    const late = step('shrink', { sectors: -2048 });
    if (late.verb === 'shrink') late.from = { ...late.from, first: 1 };
    expect(reason(late)).toContain('is not where the step expects it');
  });
});
