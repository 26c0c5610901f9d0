import { describe, expect, it } from 'vitest';
import { bytesOf } from '../disk';
import { follow, surveyAt } from '../drawing';
import { taskOf, type Task } from '../planning';
import { SITUATIONS } from '../planning/test/catalogue/situations';
import { unwrap } from '../problem';
import { proveLayout } from '../proof';
import { machineOf, type SurveyDocument } from '../survey';
import { diskSpec, surveyWith, type DiskSpec, type PartitionSpec } from '../survey/sketch';
import { GIB } from '../units';
import { makeSheet, stepsOf } from '../worksheet';
import { outcomeOf } from '../worksheet/test/outcome';
import { machineWith } from '../worksheet/test/windowsMachine';
import { findBuyable, planOntoDisk, planOnto, countSectorsSold } from '.';

/** A survey with an empty disk beside its first one. */
function beside(
  survey: SurveyDocument,
  sectors: number,
  more: Partial<SurveyDocument['disks'][number]> = {},
) {
  const bare = { id: null, backupHeader: null, lastUsable: null, firstUsable: null, partitions: [] };
  const disk = { ...survey.disks[0]!, ...bare, number: 1, serial: 'GT-TEST-0002', sectors, ...more };
  return { ...survey, disks: [survey.disks[0]!, disk] };
}
const taskFor = (survey: SurveyDocument, kit = 'offline-mover', partition = 1): Task =>
  unwrap(taskOf(machineOf(survey), { survey, disk: 0, goal: { partition, max: true }, kits: [kit] }));
const C: PartitionSpec = { role: 'windows', size: 100 * 1024, used: 95 * 1024, letter: 'C' };
const D: PartitionSpec = { role: 'data', size: 50 * 1024, used: 20 * 1024, letter: 'D' };
const surveyOf = (partitions: PartitionSpec[], spec: Partial<DiskSpec> = {}) =>
  surveyWith(diskSpec({ size: partitions.reduce((sum, one) => sum + one.size, 2), ...spec }, partitions));

/** Everything that can be brought to a disk twice as large, of the whole catalogue. */
const moved = SITUATIONS.flatMap(({ id, survey, ask }) => {
  const two = beside(survey, 2 * survey.disks[0]!.sectors);
  const asked = taskOf(machineOf(two), { survey: two, disk: 0, ...ask, kits: ['offline-mover'] });
  const onto = asked.ok ? planOntoDisk(asked.value, 1) : asked;
  const plan = onto.ok ? planOnto(onto.value) : onto;
  if (!onto.ok || !plan.ok) return [];
  const kit = onto.value.kits[0]!;
  const steps = plan.value.intents.map((intent, i) => ({ id: `s${i}`, intent, tool: null, off: false }));
  const drawing = { kit: kit.id, onto: 1, steps };
  const { results, route } = follow(onto.value, kit, drawing);
  return results.every(({ kind }) => kind === 'done')
    ? [
        {
          id,
          survey: two,
          task: onto.value,
          kit,
          drawing,
          route: route!,
          size: plan.value.size,
          left: results.at(-1)!.after,
        },
      ]
    : [];
});

describe('a plan that brings everything to a new disk', () => {
  it('is there for most of the catalogue, so that what follows is not empty', () => {
    expect(moved.length).toBeGreaterThan(25);
  });

  it('has every partition there once, as large as it was and with what it held, and the target with the rest', () => {
    for (const { id, task, left, size } of moved) {
      const from = task.from!;
      expect(left.partitions.map(({ number }) => number).sort(), id).toEqual(
        from.partitions.map(({ number }) => number).sort(),
      );
      for (const one of left.partitions) {
        const old = from.partitions.find(({ number }) => number === one.number)!;
        const { role, letter, type, active, volume } = one;
        expect({ role, letter, type, active, used: volume?.used ?? null }, id).toEqual({
          role: old.role,
          letter: old.letter,
          type: old.type,
          active: old.active,
          used: old.volume?.used ?? null,
        });
        expect(bytesOf(task.disk, one), id).toBe(old === task.target ? size : bytesOf(from, old));
      }
      // What is left over are the ends of partitions that are no whole MiB, and of the disk.
      const held = left.partitions.reduce((sum, one) => sum + one.sectors, 0);
      expect(task.disk.usable.sectors - held, id).toBeLessThan(2048 * (left.partitions.length + 2));
    }
  });

  it('keeps the order, with recovery behind Windows, and writes nothing to the old disk', () => {
    for (const { id, task, left, route } of moved) {
      const here = left.partitions.map(({ role }) => role);
      if (here.includes('recovery') && here.includes('windows'))
        expect(here[here.indexOf('windows') + 1], id).toBe('recovery');
      const rest = (numbers: readonly { number: number; role: string }[]) =>
        numbers.filter(({ role }) => role !== 'recovery').map(({ number }) => number);
      expect(rest(left.partitions), id).toEqual(rest(task.from!.partitions));
      expect([route.totals.exposedBytes, route.noReturn], id).toEqual([0, null]);
      expect(
        route.steps.every(({ verb }) => ['make-table', 'clone', 'extend', 'boot-check'].includes(verb)),
        id,
      ).toBe(true);
    }
  });

  it('has a sheet whose lines work on the new disk alone, and a proof that holds once everything is there', () => {
    for (const { id, survey, task, kit, drawing, left } of moved) {
      const sheet = unwrap(makeSheet(task, kit, drawing));
      expect(sheet.disk.serial, id).toBe('GT-TEST-0002');
      for (const { script } of stepsOf(sheet))
        if (script) expect(script.text, id).toContain("-eq 'GT-TEST-0002'");
      const after = structuredClone(surveyAt(survey, 1, task, left));
      for (const one of after.disks[1]!.partitions) {
        const promised = sheet.promise.partitions.find(({ number }) => number === one.number)!;
        one.letter = promised.letter;
        one.active = task.from!.partitions.find(({ number }) => number === one.number)!.active;
      }
      const proof = unwrap(proveLayout(sheet, survey, { ...after, takenAt: '2026-12-01T10:00:00Z' }));
      expect(
        proof.differences.filter(({ grade }) => grade !== 'explained'),
        id,
      ).toEqual([]);
      // What it had before is what it had on the old disk.
      const volumes = left.partitions.filter(({ volume }) => volume !== null);
      const onOld = (number: number) => task.from!.partitions.find((one) => one.number === number)!;
      expect(
        proof.volumes.map(({ before }) => before?.size),
        id,
      ).toEqual(volumes.map(({ number }) => bytesOf(task.from!, onOld(number))));
      // Without one of them it does not hold.
      after.disks[1]!.partitions.pop();
      const short = unwrap(proveLayout(sheet, survey, { ...after, takenAt: '2026-12-01T10:00:00Z' }));
      expect(short.verdict, id).toBe('lost');
    }
  });

  it('makes its table on the empty disk and on no other', () => {
    const { task, kit, drawing } = moved.find(({ task: { disk } }) => disk.table === 'gpt')!;
    const [table, ...rest] = drawing.steps;
    const byWindows = { ...drawing, steps: [{ ...table!, tool: 'windows' }, ...rest] };
    const [{ script } = { script: null }] = stepsOf(unwrap(makeSheet(task, kit, byWindows)));
    const empty = { ...task.disk, partitions: [] };
    const fresh = () => {
      const machine = machineWith(
        empty,
        { ...moved[0]!.left, partitions: [] },
        empty.sectors * empty.sectorSize,
      );
      Object.assign(machine.disks[0]!, { IsBoot: false, IsSystem: false, PartitionStyle: 'RAW' });
      return machine;
    };
    const machine = fresh();
    expect(outcomeOf(script!, machine)).toHaveProperty('said');
    expect([machine.disks[0]!.PartitionStyle, machine.partitions]).toEqual(['GPT', []]);
    for (const change of [
      (one: typeof machine) => Object.assign(one.disks[0]!, { IsBoot: true }),
      (one: typeof machine) => Object.assign(one.disks[0]!, { SerialNumber: 'GT-OTHER' }),
      (one: typeof machine) => Object.assign(one.disks[0]!, { Size: 1 }),
      (one: typeof machine) => (one.put(1, 2 ** 20, 2 ** 30)['Type'] = 'Basic'),
    ]) {
      const other = fresh();
      change(other);
      const before = other.state;
      expect(outcomeOf(script!, other)).toHaveProperty('stopped');
      expect(other.state).toEqual(before);
    }
  });
});

it('nothing is started from a disk that held no Windows: there is no start to be checked', () => {
  const survey = surveyOf([D, { ...D, letter: 'E' }]);
  const onto = unwrap(planOntoDisk(taskFor(beside(survey, 2 * survey.disks[0]!.sectors)), 1));
  expect(unwrap(planOnto(onto)).intents.map(({ verb }) => verb)).toEqual([
    'make-table',
    'clone',
    'extend',
    'clone',
  ]);
});

describe('a disk that nothing can be brought to', () => {
  const survey = surveyOf([C, D]);
  const twice = 2 * survey.disks[0]!.sectors;
  it.each<[string, SurveyDocument, number, string]>([
    ['is not there', survey, 1, 'no-disk'],
    ['is the old one', survey, 0, 'same-disk'],
    [
      'holds something',
      beside(survey, twice, { partitions: [{ ...survey.disks[0]!.partitions[1]!, id: null }] }),
      1,
      'not-empty',
    ],
    ['has other sectors', beside(survey, twice, { sectorSize: 4096 }), 1, 'other-sectors'],
  ])('%s', (_, document, number, code) => {
    expect(planOntoDisk(taskFor(document), number)).toMatchObject({ ok: false, problems: [{ code }] });
  });

  it('has more partitions beside it than a new table holds', () => {
    const many = surveyOf(
      [C, ...Array.from({ length: 128 }, (): PartitionSpec => ({ role: 'data', size: 64, used: 8 }))],
      {},
    );
    expect(planOntoDisk(taskFor(beside(many, 4 * many.disks[0]!.sectors)), 1)).toMatchObject({
      ok: false,
      problems: [{ code: 'too-many' }],
    });
  });

  it('is no larger', () => {
    const onto = unwrap(planOntoDisk(taskFor(beside(survey, survey.disks[0]!.sectors)), 1));
    expect(planOnto(onto)).toMatchObject({ ok: false, problems: [{ code: 'no-room' }] });
  });

  it('is asked for by Windows alone, which clones nothing', () => {
    const onto = unwrap(planOntoDisk(taskFor(beside(survey, twice), 'windows-only'), 1));
    const kit = onto.kits[0]!;
    const steps = unwrap(planOnto(onto)).intents.map((intent, i) => ({
      id: `s${i}`,
      intent,
      tool: null,
      off: false,
    }));
    const refused = follow(onto, kit, { kit: kit.id, steps }).results.filter(
      ({ kind }) => kind === 'refused',
    );
    expect(refused[0]!.reason).toMatch(/No tool of the kit “Windows only” clones/);
  });
});

describe('which disk to buy', () => {
  it('has the sectors that disks of that size have', () => {
    // As printed on the labels of disks of 512-byte sectors.
    expect([250, 500, 1000, 2000, 4000, 8000].map((gb) => countSectorsSold(gb, 512))).toEqual([
      488_397_168, 976_773_168, 1_953_525_168, 3_907_029_168, 7_814_037_168, 15_628_053_168,
    ]);
  });

  it('is the smallest that lasts as long as it should, and each larger one lasts longer', () => {
    const task = taskFor(surveyOf([C, D]));
    const growth = { low: 90 * GIB, middle: 100 * GIB, high: 120 * GIB, by: 'surveys' as const, surveys: 4 };
    const asked = { now: 0, used: 95 * GIB, growth, years: 3, least: 0 };
    const disks = findBuyable(task, asked);
    expect(disks.map(({ gb }) => gb)).toEqual([250, 500, 1000, 2000, 4000, 8000]);
    // 95 in use, 300 to come, 20 for the upgrade: 415 GiB; 500 GB are 465.8 GiB, less the 50 of D:.
    expect(disks.find(({ enough }) => enough)!.gb).toBe(500);
    const likely = disks.map(({ full }) => full!.likely ?? Infinity);
    expect(likely).toEqual([...likely].sort((a, b) => a - b));
    // Beyond 2 TiB an MBR reaches nothing.
    const old = taskFor(surveyOf([C, D], { table: 'mbr' }));
    expect(findBuyable(old, asked).map(({ gb }) => gb)).toEqual([250, 500, 1000, 2000, 4000]);
    expect(findBuyable(task, { ...asked, years: 4 }).find(({ enough }) => enough)!.gb).toBe(1000);
  });
});
