import { Ajv2020 } from 'ajv/dist/2020.js';
import { describe, expect, it } from 'vitest';
import { planRoutes, taskOf, type GoalOptions } from '../planning';
import { unwrap } from '../problem';
import { machineOf } from '../survey';
import { diskSpec, surveyWith, type PartitionSpec } from '../survey/sketch';
import { GIB } from '../units';
import {
  executeIntents,
  listJoinChecks,
  nameFolder,
  IntentShape,
  joinRoom,
  type Intent,
  countUsedAsLeft,
  type Step,
} from '.';

const C: PartitionSpec = { role: 'windows', size: 100 * 1024, used: 40 * 1024, letter: 'C' };
const D: PartitionSpec = { role: 'data', size: 100 * 1024, used: 20 * 1024, letter: 'D', label: 'Plans' };

function tried(
  intents: Intent[],
  partitions: PartitionSpec[] = [C, D],
  options: GoalOptions = { mayJoin: [2] },
) {
  const size = partitions.reduce((sum, one) => sum + one.size, 2);
  const survey = surveyWith(diskSpec({ size }, partitions));
  const request = { survey, disk: 0, goal: { partition: 1, max: true }, ...options };
  const task = unwrap(taskOf(machineOf(survey), request));
  const outcome = executeIntents(task, task.kits[0]!, intents);
  return { task, outcome, says: outcome.ok ? '' : outcome.problems[0]!.message };
}
const join: Intent = { verb: 'join', partition: 2, into: 1, folder: 'Plans (was D)' };
const gone: Intent = { verb: 'delete', partition: 2, word: '' };

describe('joining a volume', () => {
  it('fills the other one, and only then lets the first one go without anybody’s word', () => {
    const { outcome } = tried([join, gone]);
    if (!outcome.ok) throw new Error(outcome.problems[0]!.message);
    const [only, ...others] = outcome.value.left.partitions;
    expect([others.length, only!.volume!.used]).toEqual([0, 60 * GIB]);
    expect(tried([gone]).says).toMatch(/needs the owner’s word/);
  });

  it('counts in what is in use afterwards, by whichever way the files come', () => {
    const survey = surveyWith(diskSpec({ size: 200 * 1024 + 2 }, [{ ...C, used: 90 * 1024 }, D]));
    const { disks } = machineOf(survey);
    const [target, source] = disks[0]!.partitions;
    const outside = [{ name: 'stick', bytes: 99 * GIB }];
    const asked = { survey, disk: 0, goal: { partition: 1, grow: 90 * GIB }, mayJoin: [2], outside };
    const { routes } = unwrap(planRoutes(asked));
    expect(new Set(routes.map(({ kit }) => kit)).size).toBe(3);
    for (const { steps } of routes) {
      expect(countUsedAsLeft(disks[0]!, steps, target!)).toBe(110 * GIB);
      expect(countUsedAsLeft(disks[0]!, steps.slice(0, 1), target!)).toBe(90 * GIB);
    }
    // Steps that can't be done on this disk are for another one.
    const elsewhere = [{ ...routes[0]!.steps[0]!, verb: 'delete', partition: 9 } as Step];
    expect(countUsedAsLeft(disks[0]!, elsewhere, source!)).toBe(20 * GIB);
  });

  it.each<[string, Intent[], PartitionSpec[], GoalOptions, RegExp]>([
    ['nobody allowed it', [join], [C, D], {}, /not allowed for this goal/],
    [
      'it has not the room',
      [join],
      [{ ...C, used: 80 * 1024 }, D],
      { mayJoin: [2] },
      /need 21\.0 GiB free in C:, and there are 20\.0 GiB/,
    ],
    ['it is FAT32', [join], [{ ...C, fileSystem: 'fat32' }, D], { mayJoin: [2] }, /is not NTFS/],
    ['the files can’t be read', [join], [C, { ...D, fileSystem: 'refs' }], { mayJoin: [2] }, /can’t be read/],
    ['it is kept fixed', [join], [C, D], { mayJoin: [2], fixed: [1] }, /kept fixed takes no files/],
    [
      'the files are nowhere else yet',
      [{ verb: 'join-back', partition: 1, of: 2, fromOutside: 'stick', folder: 'x' }],
      [C, D],
      { mayJoin: [2], outside: [{ name: 'stick', bytes: 99 * GIB }] },
      /do not lie at stick yet/,
    ],
  ])('is refused where %s', (_, intents, partitions, options, says) => {
    expect(tried(intents, partitions, options).says).toMatch(says);
  });

  it('asks for no partition that is no data volume beside the target', () => {
    const survey = surveyWith(
      diskSpec({ size: 300 * 1024 }, [C, { role: 'recovery', size: 900, used: 500 }]),
    );
    for (const number of [1, 2]) {
      const asked = taskOf(machineOf(survey), {
        survey,
        disk: 0,
        goal: { partition: 1, max: true },
        mayJoin: [number],
      });
      expect(asked).toMatchObject({ ok: false, problems: [{ code: 'not-joined', path: '/mayJoin/0' }] });
    }
  });

  it('goes into one folder at the top, whatever somebody sends', () => {
    const takes = new Ajv2020({ strict: false }).compile(IntentShape);
    const names = [
      '..\\\\Windows',
      '..',
      '.',
      'a/b',
      'C:',
      'x.',
      'x ',
      '',
      'a\u0007',
      'a'.repeat(101),
      '%SystemRoot%',
      'Plans (was D)',
    ];
    expect(names.filter((folder) => takes({ ...join, folder }))).toEqual(['%SystemRoot%', 'Plans (was D)']);
  });

  it('leaves room to breathe: 1 GiB, or a twentieth of what comes', () => {
    expect(joinRoom(GIB)).toBe(2 * GIB);
    expect(joinRoom(100 * GIB)).toBe(105 * GIB);
  });

  it('names the folder so that Windows takes it, whatever the label holds', () => {
    const { task } = tried([]);
    const [, source] = task.disk.partitions;
    const named = (label: string, letter: string | null) =>
      nameFolder({ ...source!, letter, volume: { ...source!.volume!, label } });
    expect(named('Plans', 'D')).toBe('Plans (was D)');
    expect(named('a:b\\..\\"c"?. ', 'D')).toBe('a b .. c (was D)');
    expect(named('...', null)).toBe('Files (was partition 2)');
    expect(named('x'.repeat(90), 'D')).toHaveLength(40 + ' (was D)'.length);
  });

  it('names what pointed to it, and that files which were encrypted lie in the clear now', () => {
    const { task } = tried([], [C, { ...D, encrypted: true }]);
    const [target, source] = task.disk.partitions;
    const checks = listJoinChecks(source!, 'Plans (was D)', target!).join('\n');
    for (const word of [
      /shortcuts/i,
      /junctions/,
      /services and scheduled tasks/,
      /backup/i,
      /C:\\Plans \(was D\)/,
      /in the clear/,
    ])
      expect(checks).toMatch(word);
  });
});
