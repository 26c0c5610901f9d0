import { computeLayouts, type Step } from '../steps';
import { planRoutes, taskOf, type Route, type Task } from '../planning';
import { describe, expect, it } from 'vitest';
import { drawingOf } from '../drawing';
import { SITUATIONS } from '../planning/test/catalogue/situations';
import { unwrap } from '../problem';
import { machineOf } from '../survey';
import { formatMib } from '../units';
import { itemsOf, makeSheet, progressOf, stepsOf, toMarkdown, type WorkSheet } from '.';

/** Every route that the planner finds for a situation of the catalogue, with its sheet. */
function sheetsOf({
  survey,
  ask,
}: (typeof SITUATIONS)[number]): { task: Task; route: Route; sheet: WorkSheet }[] {
  const request = { survey, disk: 0, ...ask };
  const answer = planRoutes(request, { milliseconds: 500 });
  const task = taskOf(machineOf(survey), request);
  if (!answer.ok || !task.ok) throw new Error('the catalogue can be planned');
  return answer.value.routes.map((route) => {
    const kit = task.value.kits.find((one) => one.id === route.kit)!;
    const sheet = makeSheet(task.value, kit, drawingOf(route));
    if (!sheet.ok) throw new Error(JSON.stringify(sheet.problems));
    return { task: task.value, route, sheet: sheet.value };
  });
}

/** Windows can't do it to the partition that it runs from: it is done from its repair medium. */
const fromOutside = (step: Step): boolean => step.verb === 'convert-table' && step.efi.reused;

/** What a sheet must say of a step, worked out from the step alone: label, bytes, sector. */
function expectedFigures(step: Step, bytesPerSector: number): [RegExp, number, number?][] {
  const { from, to } = step;
  const b = (sectors: number) => sectors * bytesPerSector;
  if (from && to) {
    const moved = to.first - from.first;
    const grown = to.sectors - from.sectors;
    const end: [RegExp, number, number] = [
      /^(New end|End \(stays\))$/,
      b(to.first + to.sectors),
      to.first + to.sectors - 1,
    ];
    if (step.verb === 'move') {
      return [
        [/^Start now$/, b(from.first), from.first],
        [moved > 0 ? /^Shift to the right$/ : /^Shift to the left$/, b(Math.abs(moved))],
        [/^New start$/, b(to.first), to.first],
        end,
        [/^Size \(stays\)$/, b(from.sectors)],
      ];
    }
    return [
      [/^Size now$/, b(from.sectors)],
      [grown > 0 ? /^Amount to add$/ : /^Amount to give up$/, b(Math.abs(grown))],
      [/^New size$/, b(to.sectors)],
      [/^(New start|Start \(stays\))$/, b(to.first), to.first],
      end,
    ];
  }
  const extent = from ?? to;
  if (extent) {
    const last = extent.first + extent.sectors - 1;
    return [
      [/^Size$/, b(extent.sectors)],
      [/^Start$/, b(extent.first), extent.first],
      [/^End$/, b(last + 1), last],
    ];
  }
  if (step.verb === 'enlarge-disk') return [[/^New total of the disk$/, b(step.diskSectors)]];
  return step.bytesCopied > 0 ? [[/./, step.bytesCopied]] : [];
}

describe('the sheets of the whole catalogue, all kits', () => {
  it.each(SITUATIONS.map((one) => [one.id, one] as const))('%s', (_, situation) => {
    for (const { task, route, sheet } of sheetsOf(situation)) {
      const { disk } = task;
      const steps = stepsOf(sheet);
      const layouts = unwrap(computeLayouts(disk, route.steps));
      const markdown = toMarkdown(sheet, {
        job: 1,
        customer: 'C',
        machine: 'M',
        address: 'http://x/',
        made: 'now',
        rehearsed: null,
        despite: null,
      });
      expect(steps.map((step) => [step.verb, step.why])).toEqual(
        route.steps.map((step) => [step.verb, step.why]),
      );

      // A figure for a tool is whole MiB, with sectors beside where it is not; never a fraction, never bytes.
      expect(markdown).not.toMatch(/[0-9][.][0-9]{2,} MiB|MiB [+] [0-9,]+ B/);
      steps.forEach((step, i) => {
        const asked = route.steps[i]!;
        const wanted = expectedFigures(asked, disk.sectorSize);
        for (const [label, bytes, sector] of wanted) {
          const found = step.figures.filter((figure) => label.test(figure.label));
          expect(found.map((one) => [one.bytes, one.sector])).toEqual([[bytes, sector]]);
          expect(markdown).toContain(formatMib(bytes, disk.sectorSize));
        }
        expect(step.bytesCopied).toBe(asked.bytesCopied);
        expect(step.exposed).toEqual(asked.exposedSeconds);
        expect({
          low: step.handsOn.low + step.waiting.low,
          high: step.handsOn.high + step.waiting.high,
        }).toEqual(asked.seconds);
        // What one should see is the layout of the route, partition by partition.
        expect(
          step.see.pieces
            .filter((one) => one.number !== null)
            .map(({ number, first, sectors }) => ({ number, first, sectors })),
        ).toEqual(
          layouts[i + 1]!.partitions.map(({ number, first, sectors }) => ({ number, first, sectors })),
        );
        expect(step.script === null).toBe(
          asked.tool !== 'windows' ||
            fromOutside(asked) ||
            asked.verb === 'enlarge-disk' ||
            asked.verb === 'move',
        );
        if (step.script) guardsAreRight(step.script.text, asked, task, i, route);
      });

      // What changes anything in a check stands behind guards as well; only a setting of Windows itself has no disk to
      // guard.
      const checks = [
        ...sheet.before,
        ...sheet.runs.flatMap((run) => [...run.open, ...run.close]),
        ...sheet.after,
      ];
      for (const { script } of checks) {
        if (!script || !/reagentc.exe \/(en|dis)able|BitLocker -Mount/.test(script.text)) continue;
        for (const guard of ['$disk.Size -ne', '$part.Count -ne 1', '$part.Size -ne'])
          expect(script.text).toContain(guard);
      }

      const items = itemsOf(sheet);
      expect(new Set(items.map((item) => item.id)).size).toBe(items.length);
      const timed = items.filter((item) => item.id !== 'before-image');
      for (const end of ['low', 'high'] as const) {
        const sum = (pick: 'handsOn' | 'waiting') => timed.reduce((all, item) => all + item[pick][end], 0);
        expect(sum('handsOn')).toBe(route.totals.handsOnSeconds[end]);
        expect(sum('waiting')).toBe(route.totals.waitingSeconds[end]);
      }
      expect(items.reduce((all, item) => all + item.bytes, 0)).toBe(route.totals.bytesCopied);
      expect(sheet.target.to).toBe(task.size === 'max' ? sheet.target.to : task.size);
      // Files are copied for real, with everything before them committed, before anything that rests on the copy is
      // staged.
      for (const { staged, parts } of sheet.runs) {
        for (const { steps: part, commit } of parts) {
          const copies = part.some(({ verb }) => verb === 'copy' || verb === 'join');
          expect(commit !== null).toBe(staged && !copies);
          if (staged && copies) expect(part).toHaveLength(1);
        }
      }
      for (const run of sheet.runs) expect(run.disk).toBe(disk.number + run.countsFrom);
      expect(progressOf(sheet, []).next?.id).toBe('before-image');
    }
  });
});

/** Every number of a script stands in the route or on the disk, and nothing changes before the last guard. */
function guardsAreRight(text: string, step: Step, { disk }: Task, at: number, route: Route): void {
  const before = unwrap(computeLayouts(disk, route.steps.slice(0, at))).at(-1)!;
  const numbers = (pattern: RegExp) => [...text.matchAll(pattern)].map((match) => Number(match[1]));
  let sectors = disk.sectors;
  for (const one of route.steps.slice(0, at)) if (one.verb === 'enlarge-disk') sectors = one.diskSectors;
  expect(numbers(/\$disk\.Size -ne (\d+)/g)).toEqual([sectors * disk.sectorSize]);
  expect(text).toContain(`.Trim() -eq '${disk.serial}'`);
  // A table that the route makes has a GUID that nobody knows yet.
  if (before.table !== disk.table) expect(text).toContain("PartitionStyle -ne 'GPT'");
  else if (disk.table === 'gpt') expect(text).toContain(`-ne '${disk.id.toUpperCase()}'`);
  else expect(numbers(/Signature -ne (\d+)/g)).toEqual([parseInt(disk.id, 16)]);

  const guarded = numbers(/@\(Get-Partition[^\n]*Offset -eq (\d+)/g);
  const sizes = numbers(/\$(?:part|from|to)\.Size -ne (\d+)/g);
  expect(sizes.length).toBe(guarded.length);
  guarded.forEach((offset, i) => {
    const one = before.partitions.find(
      (partition) =>
        partition.first * disk.sectorSize === offset && partition.sectors * disk.sectorSize === sizes[i],
    );
    expect(one, `a partition at ${offset} with ${sizes[i]} bytes`).toBeDefined();
  });
  if (step.from) expect(guarded).toEqual([step.from.first * disk.sectorSize]);
  if (step.to) {
    const size = step.to.sectors * disk.sectorSize;
    expect(numbers(/ -Size (\d+)/g)).toEqual([size]);
    if (!step.from) expect(numbers(/ -Offset (\d+)/g)).toEqual([step.to.first * disk.sectorSize]);
  }
  const lines = text.split('\n');
  const change = lines.findIndex((line) =>
    /^ *(\$new = New-|Resize-|Remove-|Update-|Disable-|reagentc|robocopy|convert|mbr2gpt.exe \/convert|Format-)/.test(
      line,
    ),
  );
  const lastGuard = lines.findLastIndex((line) => line.includes('nothing was changed'));
  expect(change).toBeGreaterThan(0);
  // Setting aside has a guard of its own between switching off and deleting.
  if (step.verb !== 'set-aside') expect(change).toBeGreaterThan(lastGuard);
  expect(lines[1]).toBe('& {');
  expect(lines.at(-1)).toBe('}');
}
