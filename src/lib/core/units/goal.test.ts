import { describe, expect, it } from 'vitest';
import { GIB, MIB, readGoal } from '.';

const frame = { now: 119 * GIB, used: 112 * GIB, least: 119 * GIB + MIB, most: 318.96 * GIB };
const total = (text: string, bare: 'total' | 'added' = 'total') => {
  const reading = readGoal(text, bare, frame);
  return reading.ok ? reading.total / GIB : reading.message;
};

describe('readGoal', () => {
  it('keeps the new total and the amount added apart', () => {
    expect(total('200')).toBe(200);
    expect(total('+81')).toBe(200);
    expect(total('81', 'added')).toBe(200);
    expect(total('=200 GiB', 'added')).toBe(200);
  });

  it('takes a share as the free share wanted afterwards', () => expect(total('44 %')).toBe(200));

  it('means the exact most where somebody types the most as it is shown', () => {
    expect(total('319.0 GiB')).toBe(318.96);
    expect(total('330')).toBe(330);
  });

  it('snaps to MiB, upwards', () => expect(total('200.0001')).toBe(200 + 1 / 1024));

  it.each(['119', '50', '5 %', '100 %', 'much'])('refuses %s with a sentence', (text) =>
    expect(total(text)).toMatch(/[.]$/),
  );
});
