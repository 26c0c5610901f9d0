import { execFileSync } from 'node:child_process';
import { closeSync, openSync, rmSync, writeSync } from 'node:fs';
import { join } from 'node:path';
import { PAGE, type MemoryDevice } from '../devices/memory';
import type { Step } from '../../steps';
import { memoryDisk, StepMaker, type TestDiskSpec, type PartSpec } from './disks';
import { cutOut, readEverythingIn, makeFreshFolder } from './mounted';
import { messyVolume } from './volumes';

/** A disk with one volume that counts, and a route on it that takes seconds. */
export interface KillRoute {
  name: string;
  spec: TestDiskSpec;
  steps: (make: StepMaker) => StepMaker;
  /** Place of the volume in the end, MiB. */
  endsAt: number;
  endsWith: number;
}

const SIZE = 160;
const volume = (at: number): PartSpec => ({ number: 1, at, size: SIZE, make: 'ntfs', label: 'Messy' });

export const KILL_ROUTES: readonly KillRoute[] = [
  {
    name: 'shrink, move over itself, extend',
    spec: { size: 260, parts: [volume(1)] },
    steps: (make) => make.shrink(1, 120).move(1, 20).extend(1, 200),
    endsAt: 20,
    endsWith: 200,
  },
  {
    name: 'copy into a smaller volume, delete',
    spec: { size: 340, parts: [volume(1)] },
    steps: (make) => make.create(2, 170, 125, 1).copy(1, 2).remove(1),
    endsAt: 170,
    endsWith: 125,
  },
  {
    name: 'enlarge, relocate, shrink, move clear of its place',
    spec: { size: 200, parts: [volume(1)] },
    steps: (make) => make.enlarge(420).relocate().shrink(1, 125).move(1, 280),
    endsAt: 280,
    endsWith: 125,
  },
];

/** Writes the disk to a file. @returns the steps, and what a driver reads from its volume */
export async function writeKillable(
  { spec, steps }: KillRoute,
  path: string,
): Promise<{ steps: readonly Step[]; before: string }> {
  const folder = makeFreshFolder('killable');
  const prepared = join(folder, 'volume.img');
  try {
    messyVolume(prepared, { size: SIZE, clusterSize: 4096, full: 0.6, scattered: 3, seed: 11 });
    const before = readEverythingIn(prepared);
    const disk = await memoryDisk({ ...spec, parts: spec.parts.map((part) => ({ ...part, prepared })) });
    write(disk, path);
    return { steps: steps(new StepMaker(spec)).all, before };
  } finally {
    rmSync(folder, { recursive: true, force: true });
  }
}

function write(disk: MemoryDevice, path: string): void {
  execFileSync('truncate', ['-s', String(disk.size), path]);
  const file = openSync(path, 'r+');
  for (let page = 0; page * PAGE < disk.size; page++) {
    const bytes = disk.pageAt(page);
    if (bytes) writeSync(file, bytes, 0, Math.min(PAGE, disk.size - page * PAGE), page * PAGE);
  }
  closeSync(file);
}

/** Difference for a driver that reads the volume in its place in the end; null: none. */
export async function seenAfter(
  { endsAt, endsWith }: KillRoute,
  path: string,
  before: string,
): Promise<string | null> {
  const folder = makeFreshFolder('killed');
  try {
    const cut = cutOut(path, endsAt * 2 ** 20, endsWith * 2 ** 20, join(folder, 'volume.img'));
    return readEverythingIn(cut) === before ? null : 'its files are not what they were';
  } finally {
    rmSync(folder, { recursive: true, force: true });
  }
}
