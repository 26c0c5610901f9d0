import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { endOf, unallocated } from '../disk';
import { clinic } from '../test/clinic';
import { checkSurvey, machineOf, type SurveyDisk, type SurveyPartition } from '../survey';
import { GIB, MIB } from '../units';
import {
  addDisk,
  addPartition,
  begin,
  changeDisk,
  changePartition,
  following,
  GIVEN_AT_FIRST,
  giving,
  changeRole,
  changeTable,
  placeAt,
  placed,
  record,
  redo,
  removeDisk,
  removePartition,
  startFrom,
  swap,
  undo,
  useBytes,
  type PlaceFigure,
  withFileSystem,
  type History,
} from '.';

const first = (survey = clinic()): SurveyDisk => survey.disks[0]!;
const numbered = (disk: SurveyDisk, number: number): SurveyPartition =>
  disk.partitions.find((one) => one.number === number)!;
const problems = (disk: SurveyDisk) => checkSurvey({ ...clinic(), disks: [disk] }).map((one) => one.code);

describe('start, end and size', () => {
  const figure = fc.constantFrom<PlaceFigure>('start', 'end', 'size');

  it('the two given last fix the third', () => {
    expect(following(GIVEN_AT_FIRST)).toBe('end');
    expect(following(giving('end', GIVEN_AT_FIRST))).toBe('start');
    expect(following(giving('start', giving('end', GIVEN_AT_FIRST)))).toBe('size');
    fc.assert(
      fc.property(figure, figure, (one, two) => {
        const given = giving(two, giving(one, GIVEN_AT_FIRST));
        expect(given[0]).toBe(two);
        if (one !== two) expect(given[1]).toBe(one);
        expect(new Set([...given, following(given)]).size).toBe(3);
      }),
    );
  });

  it('what is given is met exactly, what is held stays, and nothing shorter than a sector is left', () => {
    const extent = { first: 4096, sectors: 8192 };
    const figures = (of: { first: number; sectors: number }) => ({
      start: of.first,
      end: endOf(of),
      size: of.sectors,
    });
    fc.assert(
      fc.property(figure, figure, fc.nat(20_000), (edited, held, sectors) => {
        const next = placed({ sectorSize: 512 }, extent, edited, sectors * 512, held);
        if (!next) return;
        expect(next.sectors).toBeGreaterThan(0);
        expect(figures(next)[edited]).toBe(sectors);
        if (held !== edited) expect(figures(next)[held]).toBe(figures(extent)[held]);
      }),
    );
    expect(placed({ sectorSize: 512 }, extent, 'end', 0, 'start')).toBeNull();
    expect(placed({ sectorSize: 512 }, extent, 'size', 10 * GIB, 'end')).toBeNull();
  });

  it('takes what is no whole sector down to a whole MiB', () => {
    const next = placed({ sectorSize: 512 }, { first: 2048, sectors: 10 }, 'size', 50.3 * GIB, 'start');
    expect(next).toEqual({ first: 2048, sectors: Math.floor(50.3 * 1024) * 2048 });
  });
});

describe('going back and forward', () => {
  it('undo takes back every change, redo makes it again, and a new change ends what was undone', () => {
    type Act = 'undo' | 'redo' | number;
    const act = fc.oneof(fc.constantFrom<Act>('undo', 'redo'), fc.nat());
    fc.assert(
      fc.property(fc.array(act), (acts) => {
        let history: History<number> = begin(-1);
        const line = [-1];
        let at = 0;
        for (const one of acts) {
          if (one === 'undo') [history, at] = [undo(history), Math.max(0, at - 1)];
          else if (one === 'redo') [history, at] = [redo(history), Math.min(line.length - 1, at + 1)];
          else {
            history = record(history, one);
            line.splice(++at, Infinity, one);
          }
          expect(history.now).toBe(line[at]);
        }
      }),
    );
  });
});

describe('starting points', () => {
  it.each(['uefi', 'bios', 'empty'] as const)('%s is a sound survey', (point) => {
    const survey = startFrom(point, 'till', '2026-11-20T09:30:00Z');
    expect(checkSurvey(survey)).toEqual([]);
    const { disks } = machineOf(survey);
    expect(disks[0]!.partitions.map((one) => one.role)).toEqual(
      {
        uefi: ['efi', 'reserved', 'windows', 'recovery', 'data'],
        bios: ['system', 'windows', 'data'],
        empty: [],
      }[point],
    );
    expect(disks[0]!.partitions.every((one) => one.first % 2048 === 0)).toBe(true);
  });
});

describe('changes to a disk', () => {
  it('add a partition in unallocated space, under the next number, and take it off again', () => {
    const survey = startFrom('uefi', 'till', '2026-11-20T09:30:00Z');
    const shorter = removePartition(first(survey), 5);
    const { usable, partitions } = machineOf({ ...survey, disks: [shorter] }).disks[0]!;
    const gap = unallocated(usable, partitions).at(-1);
    const added = addPartition(shorter, gap!, 'data');
    expect(problems(added)).toEqual([]);
    expect(numbered(added, 5)).toMatchObject({ role: 'data', sectors: gap!.sectors });
    expect(addPartition(added, { first: 2047, sectors: 1 }, 'data')).toBe(added);
  });

  it('swap two neighbours within the stretch that they took, and twice is as before', () => {
    const disk = first();
    const swapped = swap(disk, 4, 'right');
    expect(problems(swapped)).toEqual([]);
    expect(numbered(swapped, 5).first).toBe(numbered(disk, 4).first);
    expect(endOf(numbered(swapped, 4))).toBe(endOf(numbered(disk, 5)));
    expect(swap(swapped, 4, 'left')).toEqual(disk);
    expect(swap(disk, 5, 'right')).toBe(disk);
    expect(swap(disk, 1, 'left')).toBe(disk);
  });

  it('keep the file system’s distance to the end, and drop measures that no longer hold', () => {
    const disk = first();
    const partition = numbered(disk, 5);
    const volume = {
      ...partition.volume!,
      size: partition.volume!.size - 512,
      lastUsed: GIB,
      smallestOffline: GIB,
    };
    const moved = placeAt(
      disk,
      { ...partition, volume },
      { first: partition.first + 2048, sectors: partition.sectors },
    );
    expect(moved.volume).toEqual(volume);
    const smaller = placeAt(
      disk,
      { ...partition, volume },
      { first: partition.first, sectors: partition.sectors - 2048 },
    );
    expect(smaller.volume).toMatchObject({ size: volume.size - MIB, used: volume.used });
    expect(smaller.volume).not.toHaveProperty('lastUsed');
    expect(useBytes(volume, null)).toMatchObject({ used: null });
    expect(useBytes(volume, null)).not.toHaveProperty('smallestOffline');
  });

  it('give a role its type and attributes, on either table', () => {
    const disk = first();
    const recovery = changeRole(disk, numbered(disk, 5), 'recovery');
    expect(recovery).toMatchObject({ type: numbered(disk, 4).type, attributes: '0x8000000000000001' });
    expect(changeRole(disk, recovery, 'data')).not.toHaveProperty('attributes');
    const mbr = changeTable(disk, 'mbr');
    expect(mbr.partitions.map((one) => one.type)).toEqual(['0xEF', '0x07', '0x07', '0x27', '0x07']);
    expect(problems(mbr)).toEqual([]);
    expect(problems(changeTable(mbr, 'gpt'))).toEqual([]);
    const fat = withFileSystem(mbr, numbered(mbr, 5), 'fat32');
    expect(fat).toMatchObject({ type: '0x0C', volume: { fileSystem: 'fat32' } });
    expect(withFileSystem(mbr, fat, null).volume).toBeNull();
    expect(withFileSystem(disk, numbered(disk, 2), 'ntfs').volume).toMatchObject({ size: 16 * MIB });
  });

  it('leave what they were given as it was', () => {
    const survey = clinic();
    const copy = structuredClone(survey);
    const next = changeDisk(survey, 0, (disk) =>
      changePartition(swap(disk, 4, 'right'), 5, (one) =>
        placeAt(disk, one, { first: one.first, sectors: 2048 }),
      ),
    );
    expect(next).not.toEqual(survey);
    expect(removeDisk(addDisk(next, 100 * GIB), 0).disks.map((disk) => disk.number)).toEqual([1]);
    expect(removeDisk(next, 0)).toBe(next);
    expect(survey).toEqual(copy);
  });
});
