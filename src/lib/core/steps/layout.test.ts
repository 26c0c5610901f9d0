import { applyStep } from './run';
import { layoutOf, type Layout } from './layout';
import type { Step } from './step';
import { describe, expect, it } from 'vitest';
import { diskWith } from '../survey/sketch';

const at = (mib: number) => mib * 2048;
const disk = diskWith({ size: 1002, media: 'virtual' }, [
  { role: 'windows', size: 300, used: 200 },
  { role: 'recovery', size: 100, used: 50 },
  { role: 'data', size: 200, used: 80, letter: 'D', label: 'Archive' },
]);
const facts = {
  tool: 'windows',
  id: null,
  bytesCopied: 0,
  exposedBytes: 0,
  seconds: { low: 0, high: 0 },
  exposedSeconds: { low: 0, high: 0 },
  why: '',
};
const create = {
  type: 'EBD0A0A2-B9E5-4433-87C0-68B6B72699C7',
  attributes: '0x0000000000000000',
  name: '',
  fileSystem: 'ntfs' as const,
  clusterSize: 4096,
  label: 'Archive',
};
const place = (first: number, size: number) => ({ first: at(first), sectors: at(size) });
const run = (...steps: Step[]): Layout | string => {
  let layout = layoutOf(disk);
  for (const step of steps) {
    const applied = applyStep(disk, layout, step);
    if (!applied.ok) return applied.problems[0]!.message;
    layout = applied.value;
  }
  return layout;
};
const numbers = (layout: Layout | string) =>
  typeof layout === 'string' ? layout : layout.partitions.map((one) => [one.number, one.first / 2048]);

describe('what a step does to a disk', () => {
  const aside: Step = { ...facts, verb: 'set-aside', partition: 2, from: place(301, 100), to: null };
  const back = (first: number): Step => ({
    ...facts,
    verb: 'put-back',
    partition: 2,
    from: null,
    to: place(first, 100),
    create,
  });

  it('a recovery partition is set aside and put back elsewhere, as itself', () => {
    const layout = run(aside, back(700));
    expect(numbers(layout)).toEqual([
      [1, 1],
      [3, 401],
      [2, 700],
    ]);
    expect(typeof layout !== 'string' && layout.partitions[2]!.role).toBe('recovery');
    expect(run(back(700))).toMatch(/not set aside/);
    expect(run(aside, back(450))).toMatch(/overlap partition 3/);
  });

  it('files are copied into a new volume, and the old one goes', () => {
    const made: Step = { ...facts, verb: 'create', partition: 4, from: null, to: place(700, 150), create };
    const copy: Step = { ...facts, verb: 'copy', partition: 3, from: null, to: null, into: { partition: 4 } };
    const gone: Step = { ...facts, verb: 'delete', partition: 3, from: place(401, 200), to: null };
    expect(numbers(run(made, copy, gone))).toEqual([
      [1, 1],
      [2, 301],
      [4, 700],
    ]);
    expect(run(gone, gone)).toMatch(/no partition 3/);
  });

  it('refuses what is no step of its kind, leaves the disk, or finds nothing there', () => {
    const move = (first: number, to: ReturnType<typeof place>): Step => ({
      ...facts,
      verb: 'move',
      partition: 3,
      from: place(first, 200),
      to,
    });
    expect(numbers(run(move(401, place(800, 200))))).toContainEqual([3, 800]);
    expect(run(move(401, place(900, 200)))).toMatch(/usable area/);
    expect(run(move(401, place(350, 200)))).toMatch(/overlap partition 2/);
    expect(run(move(402, place(700, 200)))).toMatch(/not where the step expects it/);
    expect(run(move(401, place(700, 100)))).toMatch(/no move/);
    expect(
      run({ ...facts, verb: 'relocate-table', partition: null, id: null, from: null, to: null }),
    ).toMatch(/at the end already/);
  });

  it('an enlarged disk has its room once the table has moved to the end', () => {
    const enlarge: Step = {
      ...facts,
      verb: 'enlarge-disk',
      partition: null,
      id: null,
      from: null,
      to: null,
      diskSectors: disk.sectors + at(500),
    };
    const relocate: Step = {
      ...facts,
      verb: 'relocate-table',
      partition: null,
      id: null,
      from: null,
      to: null,
    };
    const move: Step = { ...facts, verb: 'move', partition: 3, from: place(401, 200), to: place(1200, 200) };
    expect(run(enlarge, move)).toMatch(/usable area/);
    expect(numbers(run(enlarge, relocate, move))).toContainEqual([3, 1200]);
    expect(run({ ...enlarge, diskSectors: disk.sectors } as Step)).toMatch(/not become larger/);
  });
});
