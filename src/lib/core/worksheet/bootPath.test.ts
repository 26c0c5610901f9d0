import { describe, expect, it } from 'vitest';
import { drawingOf } from '../drawing';
import { planRoutes, taskOf, type Route } from '../planning';
import { machineOf, type SurveyDocument } from '../survey';
import { diskSpec, surveyWith, type PartitionSpec } from '../survey/sketch';
import { GIB } from '../units';
import { itemsOf, makeSheet, type WorkSheet } from '.';

const gib = (value: number): number => value * 1024; // the builder counts in MiB
const C: PartitionSpec = { role: 'windows', size: gib(100), used: gib(90), letter: 'C', encrypted: true };
const efi: PartitionSpec = { role: 'efi', size: 260, used: 33, fileSystem: 'fat32' };
const recovery: PartitionSpec = { role: 'recovery', size: 600, used: 400 };

function surveyOf(partitions: PartitionSpec[], rest: number): SurveyDocument {
  const size = partitions.reduce((sum, one) => sum + one.size, 0) + 1 + rest;
  return surveyWith(diskSpec({ size }, partitions));
}

/** All routes to 20 GiB more, each with its sheet. */
function sheetsOf(
  survey: SurveyDocument,
  target: number,
  kits?: string[],
): { route: Route; sheet: WorkSheet }[] {
  const request = { survey, disk: 0, goal: { partition: target, grow: 20 * GIB }, ...(kits ? { kits } : {}) };
  const answer = planRoutes(request, { milliseconds: 10_000 });
  const task = taskOf(machineOf(survey), request);
  if (!answer.ok || !task.ok) throw new Error('it can be planned');
  return answer.value.routes.map((route) => {
    const kit = task.value.kits.find((one) => one.id === route.kit)!;
    const sheet = makeSheet(task.value, kit, drawingOf(route));
    if (!sheet.ok) throw new Error(JSON.stringify(sheet.problems));
    return { route, sheet: sheet.value };
  });
}
const checkIn = (list: WorkSheet['before'], id: string) => list.find((one) => one.id.endsWith(id));
const moves = ({ steps }: Route, partition: number) =>
  steps.some((step) => step.verb === 'move' && step.partition === partition);

describe('a route that changes what the machine starts from, beside an encrypted Windows volume', () => {
  it('suspends its protection first, says that the key may be asked for, and brings it back', () => {
    // The firmware boot partition stands behind Windows, in the way.
    const sheets = sheetsOf(surveyOf([C, efi], gib(50)), 1).filter(({ route }) => moves(route, 2));
    expect(sheets.length).toBeGreaterThan(0);
    for (const { sheet } of sheets) {
      const first = checkIn(sheet.before, 'suspend')!;
      expect(first.title).toBe('Suspend protection first: C:');
      expect(first.text.join(' ')).toMatch(/moves .*EFI.*from which the machine starts/);
      expect(first.text.join(' ')).toContain('recovery key may be asked for at the next start');
      expect(first.script!.text).toContain("Suspend-BitLocker -MountPoint 'C:' -RebootCount 0");
      expect(checkIn(sheet.after, 'resume')!.script!.text).toContain("Resume-BitLocker -MountPoint 'C:'");
    }
  });

  it('that starts from another medium does so too, and one by Windows alone does not', () => {
    const survey = surveyOf([efi, C, recovery], gib(50));
    const offline = sheetsOf(survey, 2, ['offline-mover']).filter(({ route }) => moves(route, 3));
    expect(offline.length).toBeGreaterThan(0);
    for (const { sheet } of offline)
      expect(checkIn(sheet.before, 'suspend')!.text.join()).toContain('from the medium of the offline mover');
    const windows = sheetsOf(survey, 2, ['windows-only']);
    expect(windows.length).toBeGreaterThan(0);
    for (const { sheet } of windows) expect(checkIn(sheet.before, 'suspend')).toBeUndefined();
  });

  it('has nothing to suspend where Windows is not encrypted, or is decrypted on the way', () => {
    for (const { sheet } of sheetsOf(surveyOf([{ ...C, encrypted: false }, efi], gib(50)), 1))
      expect(checkIn(sheet.before, 'suspend')).toBeUndefined();
    const decrypted = sheetsOf(surveyOf([C, efi], gib(50)), 1).filter(({ route }) =>
      route.steps.some((step) => step.verb === 'decrypt' && step.partition === 1),
    );
    for (const { sheet } of decrypted) expect(checkIn(sheet.before, 'suspend')).toBeUndefined();
  });
});

it('what starts Windows and holds its recovery environment is moved with that off', () => {
  const survey = surveyWith(
    diskSpec({ size: gib(200), table: 'mbr' }, [
      { role: 'windows', size: gib(100), used: gib(90), letter: 'C' },
      { role: 'system', size: 500, used: 300, active: true },
    ]),
  );
  survey.machine.recoveryEnvironment = { enabled: true, disk: 0, partition: 2 };
  const sheets = sheetsOf(survey, 1).filter(({ route }) => moves(route, 2));
  expect(sheets.length).toBeGreaterThan(0);
  for (const { sheet } of sheets) {
    const titles = itemsOf(sheet).map(({ title }) => title);
    const [off, on] = ['off', 'on again'].map((word) =>
      titles.findIndex((one) => one.includes(`environment ${word}`)),
    );
    expect(off).toBeGreaterThan(-1);
    expect(on).toBeGreaterThan(off!);
  }
});
