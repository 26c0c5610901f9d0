import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import {
  formatDuration,
  formatMib,
  formatShare,
  formatSize,
  GIB,
  MIB,
  multiplyDivideUp,
  parseSize,
  TIB,
} from '.';

const read = (text: string, bare?: 'total' | 'added') => {
  const reading = parseSize(text, bare);
  if (!reading.ok) throw new Error(reading.message);
  return reading.entry;
};

describe('parseSize', () => {
  it.each([
    ['50', { kind: 'total', bytes: 50 * GIB }],
    ['50G', { kind: 'total', bytes: 50 * GIB }],
    ['50 GiB', { kind: 'total', bytes: 50 * GIB }],
    ['50 GB', { kind: 'total', bytes: 50 * GIB }],
    ['51200 MB', { kind: 'total', bytes: 50 * GIB }],
    ['0.5 TiB', { kind: 'total', bytes: 0.5 * TIB }],
    ['0,5 tib', { kind: 'total', bytes: 0.5 * TIB }],
    ['0,125 GiB', { kind: 'total', bytes: 128 * MIB }],
    ['+30 GiB', { kind: 'added', bytes: 30 * GIB }],
    ['=80 GiB', { kind: 'total', bytes: 80 * GIB }],
    ['40 %', { kind: 'share', share: 0.4 }],
  ])('reads %s', (text, entry) => expect(read(text)).toEqual(entry));

  it('takes a bare number as an amount where the field asks for one, but = still means the total', () => {
    expect(read('30', 'added')).toEqual({ kind: 'added', bytes: 30 * GIB });
    expect(read('=30', 'added')).toEqual({ kind: 'total', bytes: 30 * GIB });
  });

  it.each(['', 'much', '-5', '5 miles', '1.2.3', '120 %', '5 5', '9999999 TiB', 'NaN', '1e3', '0x10'])(
    'refuses %j with a sentence',
    (text) => {
      const reading = parseSize(text);
      expect(reading.ok).toBe(false);
      expect(!reading.ok && reading.message).toMatch(/[.]$/);
    },
  );

  it('asks back where a comma may mark thousands', () => {
    const reading = parseSize('51,200 MB');
    expect(!reading.ok && reading.message).toContain('51200 or 51.2000');
  });

  it('reads back the exact MiB that it prints, for any whole number of MiB', () => {
    fc.assert(
      fc.property(fc.integer({ min: 1, max: 2 ** 32 }), (mib) => {
        const text = formatMib(mib * MIB).replaceAll(',', '');
        expect(read(text)).toEqual({ kind: 'total', bytes: mib * MIB });
      }),
    );
  });
});

describe('formats', () => {
  it('shows sizes as technicians read them', () => {
    expect(formatSize(119 * GIB)).toBe('119.0 GiB');
    expect(formatSize(16 * MIB)).toBe('16 MiB');
    expect(formatSize(260 * MIB)).toBe('0.3 GiB');
    expect(formatSize(4096)).toBe('4 KiB');
    expect(formatSize(0)).toBe('0');
    expect(formatMib(63 * 512, 512)).toBe('0 MiB + 63 sectors');
    expect(formatMib(60_129 * MIB + 2015 * 512, 512)).toBe('60,129 MiB + 2,015 sectors');
    expect(formatMib(MIB + 4096, 4096)).toBe('1 MiB + 1 sector');
    expect(formatMib(MIB + 4096)).toBe('1 MiB + 4,096 B');
  });

  it('never calls a volume full that is not', () => {
    expect(formatShare(999, 1000)).toBe('99 %');
    expect(formatShare(1000, 1000)).toBe('100 %');
    expect(formatShare(0, 0)).toBe('0 %');
  });

  it('shows ranges of time in one unit', () => {
    expect(formatDuration({ low: 5, high: 30 })).toBe('5–30 s');
    expect(formatDuration({ low: 660, high: 960 })).toBe('11–16 min');
    expect(formatDuration({ low: 7200, high: 12600 })).toBe('2–3.5 h');
    expect(formatDuration({ low: 0, high: 0 })).toBe('0');
  });
});

describe('mulDivCeil', () => {
  it('is exact beyond 2^53', () => {
    expect(multiplyDivideUp(2 ** 43 + 1, 2 ** 43 - 1, 2 ** 43)).toBe(2 ** 43);
    expect(multiplyDivideUp(7, 3, 2)).toBe(11);
  });
});
