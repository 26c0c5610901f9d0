import {
  alignment,
  bytesOf,
  plainName,
  sentenceName,
  unallocated,
  type Disk,
  type Extent,
  type Partition,
} from '../disk';
import { formatSize, GIB } from '../units';
import type { Chain } from './chain';
import { exposedBytes } from './costs';
import { gapsOf, layoutsAlong, type Layout } from './layout';
import type { Push } from './orderKeeping';
import { addTimes, copyTime, FIXED_STEP, NO_TIME, RESTART, timesOver, type Seconds } from './rates';
import type { Task } from './request';
import type { Step } from './steps';
import { canExtend, OFFLINE_MOVER, WINDOWS, type Kit, type Tool } from './tools';

export interface Totals {
  bytesCopied: number;
  exposedBytes: number;
  restarts: number;
  steps: number;
  /** Bytes that donors gave and nobody got. */
  idle: number;
  handOvers: number;
  seconds: Seconds;
  exposedSeconds: Seconds;
  /** Bytes of unallocated pieces of 1 MiB or more, below 1 GiB. */
  stranded: number;
}

export interface Route {
  kit: Kit;
  title: string;
  keepsRecoveryBehind: boolean;
  steps: Step[];
  totals: Totals;
  asLeft: { partitions: (Extent & { number: number })[]; unallocated: Extent[] };
}

const TOOLS: Record<Tool['id'], Tool> = { windows: WINDOWS, 'offline-mover': OFFLINE_MOVER };

/**
 * The steps that carry out a push, from the far end towards the target so that each finds its room free, and
 * the figures of the whole.
 */
export function routeOf(task: Task, chain: Chain, push: Push, relocate: boolean): Route {
  const { disk, target } = task;
  const changes = chain.links
    .map((link, i) => ({ link, from: link.partition, to: push.places[i]! }))
    .filter(({ from, to }) => from.first !== to.first || from.sectors !== to.sectors);
  // Windows extends without a restart; where the offline mover runs anyway, it finishes the work if it can.
  const offline = changes.length > 0;
  const extender = (offline ? [OFFLINE_MOVER, WINDOWS] : [WINDOWS, OFFLINE_MOVER]).find((tool) =>
    canExtend(tool, target),
  );
  if (!extender) throw new Error('the target cannot be extended by this kit');

  const steps: Step[] = [];
  if (relocate) steps.push(relocateStep(offline ? OFFLINE_MOVER : extender));
  for (const { link, from, to } of changes.reverse()) {
    const name = sentenceName(link.partition);
    if (to.sectors < from.sectors) {
      const freed = bytesOf(disk, from) - bytesOf(disk, to);
      const why = `${name} has room to spare: this frees ${formatSize(freed)} at its end.`;
      const smaller = { first: from.first, sectors: to.sectors };
      steps.push(
        partitionStep(
          disk,
          'shrink',
          link.partition,
          from,
          smaller,
          link.shrinkBytes(bytesOf(disk, to)),
          why,
        ),
      );
    }
    if (to.first !== from.first) {
      const why = `${name} stands between ${sentenceName(target)} and the room, so it moves to the right, whole.`;
      const before = { first: from.first, sectors: to.sectors };
      steps.push(partitionStep(disk, 'move', link.partition, before, to, link.moveBytes, why));
    }
  }
  const grown = { first: target.first, sectors: push.targetEnd - target.first };
  const why = `${sentenceName(target)} takes the room that now lies directly behind it.`;
  steps.push({ ...partitionStep(disk, 'extend', target, target, grown, 0, why), tool: extender.id });

  const layouts = layoutsAlong(disk, steps);
  const left = layouts.at(-1)!;
  return {
    kit: 'offline-mover',
    title: titleOf(target, steps, disk),
    keepsRecoveryBehind: keepsRecoveryBehind(task, left),
    steps,
    totals: totalsOf(disk, steps, left),
    asLeft: {
      partitions: left.partitions.map(({ number, first, sectors }) => ({ number, first, sectors })),
      unallocated: gapsOf(left),
    },
  };
}

const place = ({ first, sectors }: Extent): Extent => ({ first, sectors });

function partitionStep(
  disk: Disk,
  verb: 'shrink' | 'move' | 'extend',
  partition: Partition,
  from: Extent,
  to: Extent,
  bytesCopied: number,
  why: string,
): Step {
  const exposed = verb === 'move' ? exposedBytes(from, to, bytesCopied) : 0;
  return {
    verb,
    tool: OFFLINE_MOVER.id,
    partition: partition.number,
    id: partition.id,
    from: place(from),
    to: place(to),
    bytesCopied,
    exposedBytes: exposed,
    seconds: addTimes(copyTime(bytesCopied, disk.media), FIXED_STEP),
    exposedSeconds: copyTime(exposed, disk.media),
    why,
  };
}

const relocateStep = (tool: Tool): Step => ({
  verb: 'relocate-table',
  tool: tool.id,
  partition: null,
  id: null,
  from: null,
  to: null,
  bytesCopied: 0,
  exposedBytes: 0,
  seconds: FIXED_STEP,
  exposedSeconds: NO_TIME,
  why: 'The disk was enlarged after its partition table was written; the backup table moves to the true end, so that the new room counts.',
});

function totalsOf(disk: Disk, steps: readonly Step[], left: Layout): Totals {
  const sum = (pick: (step: Step) => number) => steps.reduce((total, step) => total + pick(step), 0);
  const runs = steps.filter((step, i) => step.tool !== steps[i - 1]?.tool);
  const restarts = runs.reduce((total, step) => total + TOOLS[step.tool].restartsPerRun, 0);
  const gaps = gapsOf(left);
  const bytes = (extents: readonly Extent[]) => extents.reduce((total, gap) => total + bytesOf(disk, gap), 0);
  // Room that an enlarged disk had all along is nobody's gift, so both sides count the area as left.
  const found = bytes(unallocated(left.usable, disk.partitions));
  return {
    bytesCopied: sum((step) => step.bytesCopied),
    exposedBytes: sum((step) => step.exposedBytes),
    restarts,
    steps: steps.length,
    idle: Math.max(0, bytes(gaps) - found),
    handOvers: runs.length - 1,
    seconds: addTimes(...steps.map((step) => step.seconds), timesOver(RESTART, restarts)),
    exposedSeconds: addTimes(...steps.map((step) => step.exposedSeconds)),
    stranded: bytes(gaps.filter((gap) => gap.sectors >= alignment(disk) && bytesOf(disk, gap) < GIB)),
  };
}

function titleOf(target: Partition, steps: readonly Step[], disk: Disk): string {
  const named = (verb: Step['verb']) =>
    steps
      .filter((step) => step.verb === verb)
      .map((step) => plainName(disk.partitions.find((partition) => partition.number === step.partition)!));
  const shrunk = named('shrink');
  const moved = named('move');
  if (shrunk.length > 0) {
    const shifted = moved.length > 2 ? `${moved.length} partitions` : and(moved);
    return moved.length > 0 ? `Shrink ${and(shrunk)}, shift ${shifted}` : `Shrink ${and(shrunk)}`;
  }
  if (moved.length > 0)
    return `Shift ${moved.length > 3 ? `${moved.length} partitions` : and(moved.reverse())}`;
  return `Extend ${sentenceName(target)} at once`;
}

const and = (names: readonly string[]): string =>
  names.length < 2 ? (names[0] ?? 'nothing') : `${names.slice(0, -1).join(', ')} and ${names.at(-1)}`;

/**
 * Whether, as left, the recovery partition in use is the next partition behind the Windows volume; true as
 * well where that was not so as found or there is none (domain facts 8, "gives-up").
 */
function keepsRecoveryBehind(task: Task, left: Layout): boolean {
  const environment = task.machine.recoveryEnvironment;
  const behindWindows = (partitions: readonly Partition[]): number | null => {
    const windows = partitions.findIndex((partition) => partition.role === 'windows');
    const next = windows < 0 ? undefined : partitions[windows + 1];
    if (next?.role !== 'recovery') return null;
    const inUse = environment?.disk === task.disk.number ? environment.partition : null;
    return inUse === null || inUse === undefined || inUse === next.number ? next.number : null;
  };
  const found = behindWindows(task.disk.partitions);
  return found === null || behindWindows(left.partitions) === found;
}
