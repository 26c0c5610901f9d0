import { gapsOf, movers, type Intent, type Layout, type Step, findPartitionNow } from '../steps';
import { recoveryBehind, type Kit } from '../tools';
import { makeBlocks, type Task } from '../planning';
import {
  alignment,
  bytesOf,
  endOf,
  plainName,
  nameInSentence,
  isWorthShowing,
  type Extent,
  type Partition,
} from '../disk';
import type { Finding } from '../finding';
import { formatDuration, formatSize, GIB } from '../units';
import { applyEdit, joined, type Edit } from './edit';
import { follow, type Followed, type StepResult } from './follow';
import type { Drawing } from './drawing';
import { findFreeExtents } from './reach';

/** A word of advice on a drawing: a finding, and where one edit mends it, that edit. */
export interface Hint extends Finding {
  /** The same advice on the same matter has the same key; who was told once is not told again. */
  key: string;
  fix: { label: string; edit: Edit } | null;
}

/** Notes on a drawing as it stands, the gravest first. */
export function lint(task: Task, kit: Kit, drawing: Drawing, followed: Followed): Hint[] {
  const hints = [
    ...blocked(task, kit),
    ...wrongEnd(task, kit, followed),
    ...leftAside(followed),
    ...recoveryApart(task, followed),
    ...exposed(task, followed),
    ...repairs(followed),
    ...misaligned(task, followed),
    ...stranded(task, followed),
    ...handOvers(task, kit, drawing, followed),
    ...joinable(task, kit, drawing, followed),
  ];
  const keys = new Set<string>();
  return hints.filter(({ key }) => !keys.has(key) && keys.add(key));
}

const hint = (
  code: string,
  severity: Finding['severity'],
  partitions: number[],
  title: string,
  detail: string,
  fix: Hint['fix'] = null,
): Hint => ({
  code,
  key: `${code} ${partitions.join()}`,
  severity,
  partitions,
  title,
  detail,
  remedies: fix ? [{ title: fix.label, tools: [] }] : [],
  fix,
});

/** Findings of the diagnosis that keep any step away from this disk. */
const blocked = (task: Task, kit: Kit): Hint[] =>
  makeBlocks(task.machine, task.disk, task.target, { kits: [kit], mayConvert: task.mayConvert }).map(
    (finding) => ({
      ...finding,
      key: finding.code,
      fix: null,
    }),
  );

const endState = ({ start, results }: Followed): Layout => results.at(-1)?.after ?? start;

/** Room was made, but something stands between it and the target, which can't reach it. */
function wrongEnd(task: Task, kit: Kit, followed: Followed): Hint[] {
  const { disk } = task;
  if (followed.reached) return [];
  const layout = endState(followed);
  const { partitions } = layout;
  const target = findPartitionNow(layout, task.target.number);
  if (!target) return [];
  return followed.results.flatMap((result): Hint[] => {
    const { step } = result;
    if (step?.verb !== 'shrink' || step.partition === target.number) return [];
    const donor = partitions.find((one) => one.number === step.partition);
    if (!donor || donor.first < target.first) return [];
    const room = gapsOf(layout).find((gap) => gap.first === endOf(donor));
    if (!room || !isWorthShowing(disk, room)) return [];
    const between = partitions.filter(
      (one) => one.first >= endOf(target) && one.first <= donor.first && one.kind !== 'extended',
    );
    const name = nameInSentence(donor);
    const stuck = between.find((one) => movers(kit, one, layout.decrypted.includes(one.number)).ok === false);
    const by = Math.floor(room.sectors / alignment(disk)) * alignment(disk);
    const moves = [...between]
      .reverse()
      .map(({ number, first }): Intent => ({ verb: 'move', partition: number, first: first + by }));
    const title = `The room that you made lies behind ${plainName(donor)}; ${nameInSentence(task.target)} can’t reach it`;
    const detail = stuck
      ? `${formatSize(bytesOf(disk, room))} are free behind ${name}. They count for ${nameInSentence(task.target)} only once ${nameInSentence(stuck)} has made way, and no tool of this kit moves it.${aside(stuck)}`
      : `A volume is extended at its right end only, into room directly behind it. Shrink ${name} at its left end instead: shrunk, then moved to the right.`;
    const at = followed.results.length;
    const fix =
      stuck || by === 0
        ? null
        : {
            label: `Shrink ${plainName(donor)} at its left end`,
            edit: { kind: 'add', at, intents: moves } as Edit,
          };
    return [hint('room-out-of-reach', 'costs', [donor.number], title, detail, fix)];
  });
}

/** The recovery partition has a way that others have not. */
const aside = ({ role }: Partition): string =>
  role === 'recovery' ? ' Windows can set it aside, and put it back afterwards.' : '';

function leftAside(followed: Followed): Hint[] {
  return endState(followed).aside.map((one) =>
    hint(
      'left-aside',
      'blocks',
      [one.number],
      'The recovery partition is still set aside',
      'As the drawing ends Windows has no recovery partition. Put it back, best right behind the Windows volume.',
    ),
  );
}

function recoveryApart(task: Task, followed: Followed): Hint[] {
  const before = task.recoveryBehind;
  const { partitions, aside } = endState(followed);
  if (!before || aside.length > 0 || recoveryBehind(task.machine, task.disk, partitions)) return [];
  return [
    hint(
      'recovery-apart',
      'costs',
      [before.number],
      'The recovery partition no longer stands behind Windows',
      'An update that enlarges it takes its room from the Windows volume directly before it. Elsewhere it can’t.',
    ),
  ];
}

/** A move over its own place, where a dry bed would take the whole partition clear of it. */
function exposed(task: Task, followed: Followed): Hint[] {
  const { disk } = task;
  return followed.results.flatMap((result, at): Hint[] => {
    const { step } = result;
    if (step?.verb !== 'move' || step.exposedBytes === 0) return [];
    const before = at === 0 ? followed.start : followed.results[at - 1]!.after;
    const partition = before.partitions.find((one) => one.number === step.partition)!;
    const bed = clearBed(task, before, partition, step);
    const name = nameInSentence(partition);
    const time = formatDuration(step.exposedSeconds);
    const detail = `For ${time} it writes over the place that it comes from: if the power fails then, only a resume mends it.`;
    const leap: Hint['fix'] =
      bed === null
        ? null
        : {
            label: 'Leap: move it clear first',
            edit: { kind: 'add', at, intents: [{ verb: 'move', partition: partition.number, first: bed }] },
          };
    const more = leap
      ? ` A leap through free room copies ${formatSize(step.bytesCopied)} once more and exposes nothing.`
      : '';
    return [
      hint('exposed-move', 'costs', [partition.number], `Moving ${name} is exposed`, detail + more, leap),
    ];
  });

  function clearBed(task: Task, layout: Layout, partition: Partition, step: Step): number | null {
    const slot = alignment(disk);
    const free = (extent: Extent): Extent[] => gapsOf(layout).filter((gap) => gap.sectors >= extent.sectors);
    const beds =
      partition.kind === 'logical' ? findFreeExtents(task.disk, layout, partition) : free(partition);
    for (const bed of beds) {
      for (const first of [
        Math.ceil(bed.first / slot) * slot,
        Math.floor((endOf(bed) - partition.sectors) / slot) * slot,
      ]) {
        const fits = first >= bed.first && first + partition.sectors <= endOf(bed);
        const clear = (from: Extent | null): boolean =>
          from === null || first >= endOf(from) || first + partition.sectors <= from.first;
        if (fits && clear(step.from) && clear(step.to)) return first;
      }
    }
    return null;
  }
}

/** On MBR boot data or a letter hangs on the place. */
const repairs = (followed: Followed): Hint[] =>
  followed.steps.flatMap((step) =>
    step.verb === 'move' && step.repair
      ? [hint('repair-after-move', 'costs', [step.partition], 'A repair follows this move', step.repair)]
      : [],
  );

const misaligned = (task: Task, followed: Followed): Hint[] =>
  followed.steps.flatMap((step) => {
    const placed = step.verb === 'move' || step.verb === 'create' || step.verb === 'put-back';
    if (!placed || step.to.first % alignment(task.disk) === 0) return [];
    return [
      hint(
        'misaligned',
        'costs',
        [step.partition],
        'A start off the MiB',
        'A start that is no whole MiB costs speed on most drives. Nothing is gained by it.',
      ),
    ];
  });

/** Pieces of 1 MiB or more, below 1 GiB, that are of no use to anybody (domain facts 8). */
function stranded(task: Task, followed: Followed): Hint[] {
  const { disk } = task;
  if (followed.steps.length === 0) return [];
  const key = ({ first, sectors }: Extent) => `${first} ${sectors}`;
  const before = new Set(gapsOf(followed.start).map(key));
  return gapsOf(endState(followed))
    .filter((gap) => isWorthShowing(disk, gap) && bytesOf(disk, gap) < GIB && !before.has(key(gap)))
    .map((gap) => ({
      ...hint(
        'stranded',
        'note',
        [],
        `${formatSize(bytesOf(disk, gap))} are left stranded`,
        'A piece this small is of no use to any volume that is not directly before it.',
      ),
      key: `stranded ${gap.first}`,
    }));
}

/** Steps bound to a tool, where another one would save a change of tools. */
function handOvers(task: Task, kit: Kit, drawing: Drawing, followed: Followed): Hint[] {
  const now = followed.route?.totals;
  if (!now || now.handOvers === 0 || drawing.steps.every((step) => step.tool === null)) return [];
  const free = { ...drawing, steps: drawing.steps.map((step) => ({ ...step, tool: null })) };
  const better = follow(task, kit, free);
  const then = better.route?.totals;
  if (!then || then.handOvers >= now.handOvers || then.restarts > now.restarts) return [];
  const changed = better.results.find(
    (result, i) => result.step && result.step.tool !== followed.results[i]?.step?.tool,
  );
  if (!changed) return [];
  const tool = kit.tools.find((one) => one.id === changed.step!.tool)!;
  return [
    hint(
      'hand-over',
      'note',
      [changed.step!.partition ?? 0],
      'A change of tools can be saved',
      `At each change the disk is read anew. If ${tool.name} does this step too, ${now.handOvers - then.handOvers === 1 ? 'one change' : `${now.handOvers - then.handOvers} changes`} fewer.`,
      { label: `Let ${tool.name} do it`, edit: { kind: 'tool', id: changed.drawn.id, tool: tool.id } },
    ),
  ];
}

function joinable(task: Task, kit: Kit, drawing: Drawing, followed: Followed): Hint[] {
  return drawing.steps.flatMap((step, i): Hint[] => {
    const next = drawing.steps[i + 1];
    const done = (result: StepResult | undefined) => result?.kind === 'done';
    if (!joined(step, next) || !done(followed.results[i]) || !done(followed.results[i + 1])) return [];
    const edit: Edit = { kind: 'join', id: step.id };
    const then = follow(task, kit, applyEdit(drawing, edit)).route?.totals;
    // Of a leap both moves are wanted: joining them would expose what they don't.
    const worse = !then || then.exposedBytes > (followed.route?.totals.exposedBytes ?? 0);
    if (worse) return [];
    const number = 'partition' in step.intent ? step.intent.partition : 0;
    return [
      {
        ...hint(
          'join',
          'note',
          [number],
          'Two steps that come to one',
          'They do the same to the same partition, one after the other.',
          {
            label: 'Make them one step',
            edit,
          },
        ),
        key: `join ${step.id} ${next!.id}`,
      },
    ];
  });
}
