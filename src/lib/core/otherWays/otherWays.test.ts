import { describe, expect, it } from 'vitest';
import { follow } from '../drawing';
import type { CleanupReport } from '../holdings';
import { taskOf, type GoalOptions } from '../planning';
import { SITUATIONS } from '../planning/test/catalogue/situations';
import { unwrap } from '../problem';
import { machineOf, type SurveyDocument } from '../survey';
import { diskSpec, surveyWith, type DiskSpec, type PartitionSpec } from '../survey/sketch';
import { bytesOf } from '../disk';
import { GIB, MIB } from '../units';
import { listOtherWays, makeSteps, type WayOut } from '.';

const gib = (value: number): number => value * 1024;
const C: PartitionSpec = { role: 'windows', size: gib(100), used: gib(90), letter: 'C' };
const D: PartitionSpec = { role: 'data', size: gib(50), used: gib(20), letter: 'D', label: 'Plans' };
const full: PartitionSpec = { ...D, used: gib(50) };

const surveyOf = (partitions: PartitionSpec[], rest: number, spec: Partial<DiskSpec> = {}): SurveyDocument =>
  surveyWith(
    diskSpec(
      { size: partitions.reduce((sum, one) => sum + one.size + (one.gap ?? 0), rest + 2), ...spec },
      partitions,
    ),
  );

const foundWith = (moves: [path: string, gib: number, goes?: number][]): CleanupReport => ({
  disk: 0,
  partition: 1,
  size: 100 * GIB,
  used: 90 * GIB,
  accounts: { used: 90 * GIB, folders: 80 * GIB, own: 5 * GIB, other: 5 * GIB },
  goes: [],
  moves: moves.map(([path, size, goes]) => ({
    path,
    bytes: size * GIB,
    files: 10,
    within: goes === undefined ? [] : [{ id: 'downloads', bytes: goes * GIB }],
  })),
  rate: null,
});

function waysOn(survey: SurveyDocument, found: CleanupReport | null = null, options: GoalOptions = {}) {
  const task = unwrap(
    taskOf(machineOf(survey), { survey, disk: 0, goal: { partition: 1, max: true }, ...options }),
  );
  const ways = listOtherWays({ task, kit: task.kits[0]!, found });
  return { task, ways, of: (code: WayOut['code']) => ways.find((one) => one.code === code) };
}

describe('room as a volume of its own', () => {
  it('is the largest that does not lie in reach, and takes what fits with some left over', () => {
    const found = foundWith([
      ['\\Users\\a\\Videos', 30],
      ['\\Users\\a\\Music', 12, 4],
      ['\\Users\\a\\Pictures', 9],
      ['\\Users\\a\\Documents', 2],
    ]);
    const { task, of } = waysOn(surveyOf([C, full, { ...full, letter: 'E', gap: gib(10) }], gib(40)), found);
    const way = of('new-volume')!;
    expect(way.title).toBe('Use the 40.0 GiB as a volume of its own');
    const { folders, proposed, bytes } = way.makes!;
    // What goes by itself is not moved; of 40 GiB 34 are filled at the most.
    expect(folders.map((one) => one.bytes / GIB)).toEqual([30, 9, 8, 2]);
    expect(proposed).toEqual(['\\Users\\a\\Videos', '\\Users\\a\\Documents']);
    const kit = task.kits[0]!;
    const steps = makeSteps(1, way.makes!, proposed).map((intent, i) => ({
      id: `s${i}`,
      intent,
      tool: null,
      off: false,
    }));
    const left = follow(task, kit, { kit: kit.id, steps }).results.at(-1)!.after;
    const [windows, made] = [left.partitions[0]!, left.partitions.at(-1)!];
    expect([windows.volume!.used, made.volume!.used, bytesOf(task.disk, made)]).toEqual([
      58 * GIB,
      32 * GIB,
      bytes,
    ]);
    expect(left.partitions.map(({ first }) => first).slice(0, 3)).toEqual(
      task.disk.partitions.map(({ first }) => first),
    );
  });

  it('is not offered where the room is in reach, or is too little to be worth it', () => {
    expect(waysOn(surveyOf([C], gib(40))).of('new-volume')).toBeUndefined();
    expect(waysOn(surveyOf([C, full], gib(3))).of('new-volume')).toBeUndefined();
  });

  it('counts room beyond the backup table, once that has moved', () => {
    const partitions = [C, full];
    const survey = surveyOf(partitions, gib(60), { backupHeader: (gib(150) + 3) * (MIB / 512) - 1 });
    const { intents } = waysOn(survey).of('new-volume')!.makes!;
    expect(intents.map(({ verb }) => verb)).toEqual(['relocate-table', 'create']);
  });

  it('says what is in the way where the table has no entry left', () => {
    const survey = surveyOf([C, full, { ...full, letter: 'E' }, { ...full, letter: 'F' }], gib(40), {
      table: 'mbr',
    });
    expect(waysOn(survey).of('new-volume')!.reason).toMatch(/The table is full/);
  });
});

describe('joining', () => {
  const says = (survey: SurveyDocument, options: GoalOptions = {}) =>
    waysOn(survey, null, options)
      .of('join')
      ?.volumes?.map((one) => [one.can, one.says]);

  it.each<[string, SurveyDocument, GoalOptions, boolean, RegExp]>([
    ['with room now', surveyOf([{ ...C, used: gib(40) }, D], 0), {}, true, /has the room for its files now/],
    ['with a mover', surveyOf([C, D], gib(20)), {}, true, /extended first \(Live mover and Offline mover\)/],
    [
      'with a place outside',
      surveyOf([C, D], 0),
      { kits: ['windows-only'], outside: [{ name: 'stick', bytes: 99 * GIB }] },
      true,
      /files wait on another disk/,
    ],
    [
      'with nothing',
      surveyOf([C, D], 0),
      { kits: ['windows-only'] },
      false,
      /With room for its files on another disk it goes/,
    ],
    [
      'from ReFS',
      surveyOf(
        [
          { ...C, used: gib(40) },
          { ...D, fileSystem: 'refs' },
        ],
        0,
      ),
      {},
      false,
      /can’t be read/,
    ],
  ])('%s', (_, survey, options, can, text) => {
    expect(says(survey, options)).toEqual([[can, expect.stringMatching(text)]]);
  });
});

describe('the table', () => {
  it('is spoken of only where it holds the disk back', () => {
    const system: PartitionSpec = { role: 'system', size: 500, used: 40, active: true };
    const wide: PartitionSpec = { ...C, size: gib(1500) };
    const of = (partitions: PartitionSpec[], rest: number) =>
      waysOn(surveyOf(partitions, rest, { table: 'mbr', media: 'hdd' }), null, {}).of('convert-table');
    expect(of([C, D], gib(100))).toBeUndefined();
    expect(of([{ ...wide, active: true }], gib(2000))).toMatchObject({
      reason: '',
      allows: { mayConvertTable: true },
    });
    expect(of([C, system, D, { ...D, letter: 'E' }], 0)!.reason).toMatch(
      /4 primary partitions; Windows converts 3/,
    );
  });
});

it('nothing is offered where nobody may touch the disk, and everything has whole sentences', () => {
  for (const { id, survey, ask } of SITUATIONS) {
    const task = unwrap(taskOf(machineOf(survey), { survey, disk: 0, ...ask }));
    const ways = listOtherWays({ task, kit: task.kits[0]!, found: null });
    const blocked = task.blocks.some(({ code }) => code !== 'cannot-grow');
    expect(ways.length > 0, id).toBe(!blocked);
    for (const { detail, reason, volumes = [] } of ways)
      for (const text of [detail, ...(reason ? [reason] : []), ...volumes.map((one) => one.says)])
        expect(text, id).toMatch(/^[A-Z].*[.]$/);
  }
});
