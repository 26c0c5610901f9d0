import { planRoutes, taskOf, type RoutesRequest } from '../planning';
import { describe, expect, it } from 'vitest';
import { drawingOf, follow, surveyAt } from '../drawing';
import { SITUATIONS } from '../planning/test/catalogue/situations';
import { unwrap } from '../problem';
import { machineOf, type SurveyDocument } from '../survey';
import { clinic } from '../test/clinic';
import { GIB } from '../units';
import { makeSheet, type WorkSheet } from '../worksheet';
import { proveLayout, reportOf } from '.';

const LATER = '2026-11-21T15:00:00Z';

/** The sheet of each route of a request, and the survey that a faultless machine gives after it. */
function worked(request: RoutesRequest): { sheet: WorkSheet; after: SurveyDocument }[] {
  const answer = planRoutes(request, { milliseconds: 500 });
  const task = taskOf(machineOf(request.survey), request);
  if (!answer.ok || !task.ok) throw new Error('it can be planned');
  return answer.value.routes.map((route) => {
    const kit = task.value.kits.find((one) => one.id === route.kit)!;
    const sheet = makeSheet(task.value, kit, drawingOf(route));
    if (!sheet.ok) throw new Error(sheet.problems[0]!.message);
    const end = follow(task.value, kit, drawingOf(route)).results.at(-1)!.after;
    const after = structuredClone(surveyAt(request.survey, request.disk, task.value, end));
    for (const disk of after.disks) {
      for (const one of disk.partitions) {
        const promised = sheet.value.promise.partitions.find((other) => other.number === one.number)!;
        one.letter = promised.letter;
        // Encryption is on again after the work.
        if (one.volume) one.volume.encryption = { state: promised.encryption, percent: 0, usedOnly: true };
      }
    }
    return { sheet: sheet.value, after: { ...after, takenAt: LATER } };
  });
}

const clinicRequest = (): RoutesRequest => ({
  survey: clinic(),
  disk: 0,
  goal: { partition: 3, size: 200 * GIB },
});
/** A route of the clinic that keeps Archive as it is; a copy, to be changed at will. */
const KEPT = worked({ ...clinicRequest(), kits: ['offline-mover'] }).find(({ sheet }) =>
  sheet.promise.partitions.every((partition) => !partition.remade),
)!;
const one = () => structuredClone(KEPT);

function prove(change: (after: SurveyDocument) => void) {
  const { sheet, after } = one();
  change(after);
  const proof = proveLayout(sheet, clinic(), after);
  if (!proof.ok) throw new Error(proof.problems[0]!.message);
  const differences = proof.value.differences.filter((difference) => difference.grade !== 'explained');
  return {
    verdict: proof.value.verdict,
    differences: differences.map(({ grade, what }) => `${grade} ${what}`),
  };
}
const part = (survey: SurveyDocument, number: number) =>
  survey.disks[0]!.partitions.find((partition) => partition.number === number)!;

describe('a layout proof', () => {
  it.each(SITUATIONS.map((situation) => [situation.id, situation] as const))(
    'proves what a faultless machine leaves: %s',
    (_, { survey, ask }) => {
      for (const { sheet, after } of worked({ survey, disk: 0, ...ask })) {
        const proof = proveLayout(sheet, survey, after);
        if (!proof.ok) throw new Error(proof.problems[0]!.message);
        expect(proof.value.differences.filter((difference) => difference.grade !== 'explained')).toEqual([]);
        expect(proof.value.verdict).toBe('proved');
        expect(proof.value.same).toBeGreaterThan(sheet.promise.partitions.length * 4);
      }
    },
  );

  it('tells what is missing, moved, resized, of another type, without GUID, letter or encryption', () => {
    expect(prove(() => undefined)).toEqual({ verdict: 'proved', differences: [] });
    const cases: [(after: SurveyDocument) => void, 'open' | 'lost', string][] = [
      [
        (s) => (s.disks[0]!.partitions = s.disks[0]!.partitions.filter((p) => p.number !== 5)),
        'lost',
        'lost Archive (D:)',
      ],
      [(s) => (part(s, 4).first += 2048), 'open', 'wrong Recovery, start'],
      [(s) => (part(s, 3).sectors -= 2048), 'open', 'wrong C:, size'],
      [(s) => (part(s, 4).type = 'EBD0A0A2-B9E5-4433-87C0-68B6B72699C7'), 'open', 'wrong Recovery, type'],
      [(s) => (part(s, 4).attributes = '0x0000000000000000'), 'open', 'wrong Recovery, attributes'],
      [(s) => (part(s, 4).letter = 'F'), 'open', 'wrong Recovery, letter'],
      [(s) => (part(s, 5).letter = null), 'open', 'look Archive (D:), letter'],
      [(s) => delete part(s, 5).volume, 'lost', 'lost Archive (D:), file system'],
      [(s) => (part(s, 5).volume!.fileSystem = 'unknown'), 'lost', 'lost Archive (D:), file system'],
      [(s) => (part(s, 5).volume!.used = 100 * GIB), 'open', 'look Archive (D:), in use'],
      [(s) => (part(s, 5).volume!.dirty = true), 'open', 'wrong Archive (D:), check'],
      [(s) => (part(s, 5).volume!.bootSector = 'backup'), 'open', 'wrong Archive (D:), boot sector'],
      [
        (s) => (part(s, 3).volume!.encryption = { state: 'on', percent: 100 }),
        'open',
        'wrong C:, encryption',
      ],
      [(s) => (s.disks[0]!.sectors += 2048), 'open', 'wrong Disk 0, size'],
    ];
    for (const [change, verdict, difference] of cases) {
      const found = prove(change);
      expect(found.differences).toContain(difference);
      expect(found.verdict).toBe(verdict);
    }
  });

  it('explains what the work itself changed, and nothing else', () => {
    const { sheet, after } = worked({
      ...clinicRequest(),
      kits: ['windows-only'],
      goal: { partition: 3, grow: 20 * GIB },
    })[0]!;
    const recovery = part(after, 4);
    const remade = sheet.promise.partitions.find((partition) => partition.number === 4)!;
    expect(remade).toMatchObject({ remade: true, id: null });
    recovery.id = '11111111-2222-4333-8444-555555555555';
    const said = (before = clinic()) => {
      const proof = unwrap(proveLayout(sheet, before, after));
      return proof.differences.map(({ grade, what }) => `${grade} ${what}`);
    };
    expect(said()).toContain('explained Recovery, GUID');
    expect(said().filter((one) => one.includes('attributes'))).toEqual([]);

    // A bit that is missing was not set; one that was not read, before or after, somebody has to look at.
    recovery.attributes = '0x8000000000000000';
    expect(said()).toContain('wrong Recovery, attributes');
    const untold = clinic();
    part(untold, 4).unreadAttributes = '0x0FFFFFFFFFFFFFFF';
    expect(said(untold)).toContain('look Recovery, attributes');
    recovery.unreadAttributes = '0x0FFFFFFFFFFFFFFF';
    expect(said()).toContain('look Recovery, attributes');
    recovery.attributes = '0x0000000000000001';
    expect(said()).toContain('wrong Recovery, attributes');
  });

  it('refuses a survey of another disk, and one from before the work', () => {
    const { sheet, after } = one();
    const codes = (survey: SurveyDocument) => {
      const proof = proveLayout(sheet, clinic(), survey);
      return proof.ok ? [] : proof.problems.map((problem) => problem.code);
    };
    const other = structuredClone(after);
    other.disks[0]!.serial = 'GT-OTHER-0001';
    expect(codes(other)).toEqual(['other-disk']);
    const replaced = structuredClone(after);
    replaced.disks[0]!.id = '99999999-0000-4000-8000-000000000000';
    expect(codes(replaced)).toEqual(['other-disk']);
    expect(codes({ ...after, takenAt: clinic().takenAt })).toEqual(['too-old']);
  });

  it('is told to the customer without a word that promises more than was proved', () => {
    const { sheet, after } = one();
    const layout = proveLayout(sheet, clinic(), after);
    if (!layout.ok) throw new Error('it is proved');
    const facts = { job: 1, customer: 'C', machine: 'M', sheet, ticks: [], files: null, date: '2026-11-21' };
    expect(reportOf({ ...facts, layout: layout.value }).headline).toMatch(/everything is still there/);
    const lost = { ...layout.value, verdict: 'lost' as const };
    expect(reportOf({ ...facts, layout: lost }).headline).not.toMatch(/everything/);
    expect(reportOf({ ...facts, layout: layout.value }).proved).toContain('Single files were not compared.');
  });
});
