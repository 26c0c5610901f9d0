import { shareOf } from '../../test/evidence';
import { rmSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { afterAll, describe, expect, it } from 'vitest';
import { openRun } from '../test/openRun';
import { memoryDisk, StepMaker, type TestDiskSpec } from '../test/disks';
import { readEverythingInFat, messyFat, type FatMess } from '../test/fatFilled';
import { makeFreshFolder, say } from '../test/mounted';

const folder = makeFreshFolder('fat');
afterAll(() => rmSync(folder, { recursive: true, force: true }));
const MIB = 2 ** 20;

async function resized(path: string, { make, size }: FatMess, to: number, more: readonly number[] = []) {
  const spec: TestDiskSpec = {
    size: Math.max(size, to, ...more) + 4,
    parts: [{ number: 1, at: 1, size, make, label: 'SALTMARSH', prepared: path }],
  };
  const disk = await memoryDisk(spec);
  const maker = new StepMaker(spec);
  let now = size;
  for (const next of [to, ...more]) {
    if (next < now) maker.shrink(1, next);
    else maker.extend(1, next);
    now = next;
  }
  const run = await openRun({ disk, steps: maker.all });
  if (!run.ok) throw new Error(run.problems[0]!.message);
  const outcome = await run.value.forward();
  const after = join(folder, 'after.img');
  writeFileSync(after, await disk.read(MIB, (outcome.ok ? now : size) * MIB));
  return { outcome, after, relocated: run.value.state.relocated };
}

const CASES: { mess: FatMess; to: number; more?: number[]; least?: number }[] = [
  { mess: { make: 'fat16', size: 60, full: 0.5, seed: 1 }, to: 38, least: 100 },
  { mess: { make: 'fat16', size: 60, full: 0.5, seed: 2 }, to: 100 },
  { mess: { make: 'fat16', size: 60, full: 0.9, seed: 3 }, to: 57, more: [90, 120] },
  { mess: { make: 'fat32', size: 100, full: 0.5, seed: 4 }, to: 60, least: 2 },
  { mess: { make: 'fat32', size: 64, full: 0.6, seed: 5 }, to: 300 },
  { mess: { make: 'fat32', size: 80, full: 0.9, seed: 6 }, to: 76, more: [120, 84, 500] },
];

describe('a FAT volume of another size', () => {
  for (const { mess, to, more, least } of shareOf(CASES, 3)) {
    it(`${mess.make}, ${mess.size} MiB, ${mess.full * 100} % full, to ${[to, ...(more ?? [])].join(', then ')} MiB`, async () => {
      const path = join(folder, `${mess.seed}.img`);
      messyFat(path, mess);
      const before = readEverythingInFat(path);
      expect(before.split('\n').length).toBeGreaterThan(200);
      const { outcome, after, relocated } = await resized(path, mess, to, more);
      expect(outcome).toEqual({ ok: true, value: null });
      const check = say('fsck.fat', '-n', after);
      expect(check).not.toMatch(/exit|differ|wrong|cluster.* (un|not)|Reclaim/i);
      expect(readEverythingInFat(after)).toBe(before);
      if (least) expect(relocated[0]!.files).toBeGreaterThan(least);
    });
  }
});
