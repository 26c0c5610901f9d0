import { describe, expect, it } from 'vitest';
import { machineOf } from '$core/survey';
import { clinic } from '$core/test/clinic';
import { stepOf } from '$core/executor/test/bareSteps';
import type { Step } from '$core/steps';
import { computeArrivedPart, goesRight, shareOf } from './arrival';
import { describeRehearsal } from '$core/executor';
import { describeProgress, describePowerCut, type RehearsalMoment } from './told';

const disk = machineOf(clinic()).disks[0]!;
const archive = disk.partitions.at(-1)!;
const place = (first: number) => ({ first, sectors: archive.sectors });
const move = (by: number): Step =>
  stepOf('move', {
    partition: archive.number,
    id: archive.id,
    from: place(archive.first),
    to: place(archive.first + by),
  });
const extend = stepOf('extend', {
  partition: 3,
  id: disk.partitions[2]!.id,
  from: { first: 1, sectors: 2 },
  to: { first: 1, sectors: 4 },
});
const at = (more: Partial<RehearsalMoment> = {}): RehearsalMoment => ({
  phase: 'carrying-out',
  step: 0,
  arrived: 3 * 2 ** 30,
  toArrive: 12 * 2 ** 30,
  backing: false,
  ...more,
});

describe('what a power cut means', () => {
  it('is grave elsewhere where a volume slides over itself, and not where it goes clear of its place', () => {
    const over = describePowerCut(disk, [move(2048)], at());
    expect(over.state).toContain('3.0 GiB of 12.0 GiB lie in the new place, the rest in the old one');
    expect(over.elsewhere).toContain('could be read from neither place');
    const clear = describePowerCut(disk, [move(archive.sectors + 2048)], at());
    expect(clear.state).toContain('The old place still holds everything');
    expect(clear.elsewhere).toContain('whole in its old place');
  });

  it('says so where nothing was being written', () => {
    for (const phase of ['making', 'before', 'waiting'])
      expect(describePowerCut(disk, [extend], at({ phase })).title).toBe('Before the first step');
    expect(describePowerCut(disk, [extend], at({ phase: 'after', step: 1 })).state).toContain(
      'All steps are done',
    );
  });

  it('has words for every moment and every verb', () => {
    const verbs = [
      ...(['relocate-table', 'delete', 'set-aside', 'put-back', 'extend', 'decrypt'] as const),
      ...(['shrink', 'create', 'copy'] as const),
    ];
    for (const verb of verbs) {
      const step = { ...extend, verb } as Step;
      const { title, state, elsewhere } = describePowerCut(disk, [step], at());
      for (const words of [title, state, elsewhere]) expect(words).not.toMatch(/undefined|null/);
      expect(describeProgress(disk, [step], at())).not.toMatch(/undefined/);
    }
    expect(describeProgress(disk, [extend], at({ backing: true }))).toContain('is taken back');
    expect(describeProgress(disk, [extend], at({ step: 1 }))).toBe('All steps are done');
  });
});

describe('what has arrived', () => {
  it('fills from the end that is reached first, and never leaves its basin', () => {
    const basin = { x: 100, width: 60 };
    for (const share of [0, 0.25, 1]) {
      const [right, left] = [computeArrivedPart(basin, share, true), computeArrivedPart(basin, share, false)];
      expect(right.x + right.width).toBe(160);
      expect(left.x).toBe(100);
      expect([right.width, left.width]).toEqual([60 * share, 60 * share]);
    }
    // Only what slides over itself begins at its far end.
    expect([goesRight(move(2048)), goesRight(move(-2048)), goesRight(move(archive.sectors))]).toEqual([
      true,
      false,
      false,
    ]);
    expect([shareOf(at()), shareOf(at({ toArrive: 0 })), shareOf(at({ arrived: 99 * 2 ** 30 }))]).toEqual([
      0.25, 0, 1,
    ]);
  });
});

it('a rehearsal is told of on the sheet only where it came to something', () => {
  const proved = {
    verdict: 'proved',
    at: '2026-11-27T09:00:00Z',
    cuts: 3,
    elsewhere: false,
    place: 'stand-in',
    image: null,
  } as const;
  expect(describeRehearsal(proved)).toBe(
    'Rehearsed on a stand-in on 2026-11-27: nothing lost, 3 power cuts.',
  );
  expect(describeRehearsal({ ...proved, cuts: 1 })).toContain('one power cut.');
  expect(describeRehearsal({ ...proved, verdict: 'differs' })).toMatch(/not as promised.*before you begin/);
  expect(describeRehearsal({ ...proved, elsewhere: true })).toContain(
    'of another bench, not verified here, on',
  );
  const real = { ...proved, cuts: 0, image: 'booking.qcow2' };
  expect(describeRehearsal({ ...real, place: 'copy' })).toMatch(
    /^Carried out on a copy of booking.qcow2 on .*nothing lost\.$/,
  );
  expect(describeRehearsal({ ...real, place: 'image', verdict: 'differs' })).toMatch(
    /^Carried out on booking.qcow2 .*you go on\.$/,
  );
  for (const none of [null, { ...proved, verdict: null }]) expect(describeRehearsal(none)).toBeNull();
});
