import { bytesOf, diskBytes, nameInSentence, type Disk } from '../disk';
import { follow, planWayBack, type Drawing, type Followed } from '../drawing';
import type { Preparation } from '../holdings';
import type { Task } from '../planning';
import { type Outcome, refusal, success, unwrap } from '../problem';
import {
  listCreationValues,
  diskNow,
  computeLayouts,
  moduleOf,
  stepPartition,
  type Layout,
  type OnSheet,
  type Step,
} from '../steps';
import { block } from '../steps/powershell/guard';
import { copyTime, hasTool, NO_TIME, type Kit } from '../tools';
import { formatSize } from '../units';
import { listChecksAfter } from './after';
import { diskBytesAt, SHELL, type SheetContext } from './context';
import { listChecksBefore } from './before';
import { findRoomProblem } from './first';
import { piecesOf, placeOf } from './pieces';
import { promiseOf } from './promise';
import { runOf, sizeOf, toolRunsOf, writeRunNotes } from './runs';
import { SHEET_FORMAT, type Script, type SheetDisk, type SheetStep, type WorkSheet } from './sheet';

/**
 * The work sheet of a route, found or drawn: every figure is the route's own. `first` is what goes from the volumes
 * before it. Problem codes: `empty`, `refused` (a step does not fit), `aside` (the recovery partition would stay
 * deleted), `no-room` (folders move first to where the route leaves too little).
 */
export function makeSheet(
  task: Task,
  kit: Kit,
  drawing: Drawing,
  first: readonly Preparation[] = [],
): Outcome<WorkSheet> {
  const followed = follow(task, kit, drawing);
  const refused = followed.results.findIndex((one) => one.kind === 'refused');
  if (refused >= 0) {
    const { reason } = followed.results[refused]!;
    return refusal('refused', `Step ${refused + 1} of the drawing does not fit: ${reason} Mend it first.`);
  }
  const { route } = followed;
  if (!route) return refusal('empty', 'There is no step to make a sheet of.');
  const last = followed.results.at(-1)!.after;
  if (last.aside.length > 0) {
    return refusal('aside', 'The recovery partition is set aside and not put back. Add that step first.');
  }
  const layouts = unwrap(computeLayouts(task.disk, route.steps));
  const full = task.from ? null : findRoomProblem(task.disk, layouts, first);
  if (full) return refusal('no-room', full);
  return success(sheetOf({ task, kit, route, layouts, sheetDisk: diskOf(task.disk) }, followed, first));
}

function sheetOf(context: SheetContext, followed: Followed, first: readonly Preparation[]): WorkSheet {
  const { task, kit, route, layouts, sheetDisk } = context;
  const { disk, target } = task;
  const done = followed.results.filter((one) => one.kind === 'done');
  const drawing: Drawing = { kit: kit.id, steps: done.map((one) => one.drawn) };
  const steps = route.steps.map((_, i) => stepOf(context, drawing, i));
  const toolOf = (id: string) => kit.tools.find((tool) => tool.id === id)!;
  const waits = (number: number): boolean => {
    const place = kit.tools.findIndex((tool) => tool.id === route.steps[number - 1]?.tool);
    return place >= 0 && hasTool(done[number - 1]!.priced!.waiting, place);
  };
  const runs = toolRunsOf(route.steps, toolOf).map((run, at) =>
    runOf(context, run, at, steps.slice(run.from, run.to), waits),
  );
  const { totals } = route;
  return {
    format: SHEET_FORMAT,
    version: 1,
    kit: { id: kit.id, name: kit.name },
    title: route.title,
    difficulty: route.difficulty,
    noReturn: route.noReturn,
    target: {
      partition: target.number,
      name: nameInSentence(target),
      from: bytesOf(task.from ?? disk, target),
      to: sizeOf(disk, layouts.at(-1)!, target.number),
    },
    disk: sheetDisk,
    asFound: piecesOf(disk, layouts[0]!),
    before: listChecksBefore(context, first),
    runs,
    whileItRuns: writeRunNotes(disk, route, layouts),
    after: listChecksAfter(context),
    promise: promiseOf(task, route, layouts.at(-1)!, first),
    notes:
      followed.reached || task.size === 'max'
        ? []
        : [
            `After this ${nameInSentence(target)} has ${formatSize(sizeOf(disk, layouts.at(-1)!, target.number))}, not the ${formatSize(task.size)} that were asked for.`,
          ],
    totals: {
      bytesCopied: totals.bytesCopied,
      exposedBytes: totals.exposedBytes,
      restarts: totals.restarts,
      handsOn: totals.handsOnSeconds,
      waiting: totals.waitingSeconds,
      exposed: totals.exposedSeconds,
    },
  };
}

const diskOf = (disk: Disk): SheetDisk => ({
  number: disk.number,
  model: disk.model,
  serial: disk.serial,
  id: disk.id,
  bytes: diskBytes(disk),
  sectorSize: disk.sectorSize,
  media: disk.media,
  table: disk.table,
});

function stepOf(context: SheetContext, drawing: Drawing, i: number): SheetStep {
  const { task, kit, route, layouts } = context;
  const { disk, target, rates } = task;
  const { steps } = route;
  const step = steps[i]!;
  const [before, after] = [layouts[i]!, layouts[i + 1]!];
  const tool = kit.tools.find((one) => one.id === step.tool)!;
  const told = {
    disk: diskNow(disk, before),
    target,
    steps,
    step,
    tool,
    before,
    after,
    diskBytes: diskBytesAt(context, i),
  };
  const module = moduleOf(step.verb);
  const words = module.words(told);
  const back = planWayBack(task, kit, drawing, i + 1);
  return {
    id: `step-${i + 1}`,
    number: i + 1,
    verb: step.verb,
    title: words.title,
    partition: identityOf(disk, steps, step, before),
    do: words.do,
    figures: module.figures(told),
    values: 'create' in step ? listCreationValues(told.disk, step.create) : [],
    why: step.why,
    bytesCopied: step.bytesCopied,
    handsOn: rates.step,
    waiting: step.bytesCopied > 0 ? copyTime(step.bytesCopied, disk.media, rates) : NO_TIME,
    exposed: step.exposedSeconds,
    see: { text: words.expected, pieces: piecesOf(disk, after), changed: step.partition },
    ifNot: words.ifNot,
    wrong: {
      midway: words.ifInterrupted,
      back: backLines(task, kit, back.drawing, i + 1),
      lost: back.lost,
    },
    script: step.tool === 'windows' ? scriptOf(told, i + 1, words.title) : null,
  };
}

function scriptOf(told: OnSheet, number: number, title: string): Script | null {
  const lines = moduleOf(told.step.verb).script(told);
  if (!lines) return null;
  const head = `# Gentle Tide, step ${number}: ${title.replace(/[\r\n]/g, ' ')}`;
  return { title: SHELL, text: `${head}\n${block(lines)}` };
}

function identityOf(disk: Disk, steps: readonly Step[], step: Step, before: Layout): SheetStep['partition'] {
  const one = before.partitions.find((candidate) => candidate.number === step.partition);
  if (!one) return null;
  return {
    name: stepPartition(disk, steps, step),
    number: one.number,
    place: placeOf(before, one.number),
    first: one.first,
    bytes: bytesOf(disk, one),
  };
}

/** The steps of the way back as lines with their exact figures. */
function backLines(task: Task, kit: Kit, drawing: Drawing, upTo: number): string[] {
  const { disk } = task;
  const { results, steps } = follow(task, kit, drawing);
  return results.slice(upTo).flatMap(({ step }) => {
    if (!step) return [];
    const tool = kit.tools.find((one) => one.id === step.tool);
    const line = moduleOf(step.verb).line(step, disk, stepPartition(disk, steps, step));
    return `${line} (${tool?.name ?? step.tool})`;
  });
}
