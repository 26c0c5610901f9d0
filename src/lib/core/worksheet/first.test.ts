import { describe, expect, it } from 'vitest';
import type { Preparation } from '../holdings';
import { layoutOf, type Layout } from '../steps';
import { machineOf } from '../survey';
import { clinic } from '../test/clinic';
import { GIB } from '../units';
import { findRoomProblem } from './first';

const disk = machineOf(clinic()).disks[0]!;
/** D: holds 141 of 355 GiB. */
const archive = disk.partitions.find(({ letter }) => letter === 'D')!;
const windows = disk.partitions.find(({ letter }) => letter === 'C')!;
const found = layoutOf(disk);
const archiveAt = (gib: number): Layout => ({
  ...found,
  partitions: found.partitions.map((one) =>
    one === archive ? { ...one, sectors: (gib * GIB) / disk.sectorSize } : one,
  ),
});
const withoutArchive: Layout = { ...found, partitions: found.partitions.filter((one) => one !== archive) };
const at = (number: number) => ({ disk: disk.number, partition: number });
const moved = (gib: number): Preparation => ({
  ...at(windows.number),
  goes: [],
  moves: [{ path: '\\Users\\ida\\Pictures', to: at(archive.number), bytes: gib * GIB }],
  stays: 50 * GIB,
});

describe('what moves first', () => {
  it.each<[string, Layout[], Preparation[], RegExp | null]>([
    ['has the room as found', [found], [moved(60)], null],
    ['just has the room in what is left', [found, archiveAt(201)], [moved(60)], null],
    ['has none', [found, archiveAt(200)], [moved(60)], /holds 201.* GiB, and this route makes it 200/],
    ['has none in between', [found, archiveAt(200), archiveAt(300)], [moved(60)], /makes it 200/],
    ['comes from two places', [found, archiveAt(201)], [moved(30), moved(31)], /61.* would move to/],
    [
      'is not asked for while its place is copied elsewhere',
      [found, withoutArchive, found],
      [moved(60)],
      null,
    ],
    [
      'goes to a volume that is gone at the end',
      [found, withoutArchive],
      [moved(60)],
      /takes that volume away/,
    ],
    [
      'counts from what goes there first',
      [found, archiveAt(200)],
      [moved(60), { ...at(archive.number), goes: [], moves: [], stays: 140 * GIB }],
      null,
    ],
    ['is no matter where nothing moves', [found, archiveAt(1)], [{ ...moved(60), moves: [] }], null],
  ])('%s', (_, layouts, first, problem) => {
    const said = findRoomProblem(disk, layouts, first);
    if (problem) expect(said).toMatch(problem);
    else expect(said).toBeNull();
  });
});
