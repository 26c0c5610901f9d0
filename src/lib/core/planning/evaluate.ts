import { Type, type Static } from 'typebox';
import { closed, Bytes, RangeOfSeconds } from '../shapes';
import { gapsOf, type ExecutedIntents, type Layout, type PricedStep, type Step } from '../steps';
import {
  NO_TIME,
  addTimes,
  copyTime,
  hasTool,
  recoveryBehind,
  countRestartsAdded,
  multiplySeconds,
  type Kit,
  type Tool,
} from '../tools';
import type { Task } from './task';
import { alignment, bytesOf, unallocated, type Disk, type Extent } from '../disk';
import { GIB } from '../units';
import { criteriaOf, type Criteria } from './criteria';
import { compareByFirst, usualOf, type Usual } from './usual';

const Count = Type.Integer({ minimum: 0 });

/** A list of steps with everything that can be counted about it. */
export interface Evaluated {
  steps: Step[];
  criteria: Criteria;
  usual: Usual;
  rank: Rank;
  left: Layout;
  totals: Totals;
}

/**
 * What decides between routes of the same criteria: what the usual order counts besides, less passing of one by
 * another, then less stranded space, fewer partitions touched, a shorter way for what moves, a smaller list.
 */
export interface Rank {
  figures: readonly number[];
  list: string;
}

export function rankBefore(a: Rank, b: Rank): boolean {
  const by = compareByFirst(a.figures, b.figures);
  return by === 0 ? a.list < b.list : by < 0;
}

/** Figures of a route. Sizes in bytes. */
export const TotalsShape = closed({
  bytesCopied: Bytes,
  /** Bytes of those that a power cut would leave to be resumed. */
  exposedBytes: Bytes,
  restarts: Count,
  steps: Count,
  /** Given by donors, and nobody's in the end. */
  idle: Bytes,
  /** Changes from one tool to another. */
  handOvers: Count,
  seconds: RangeOfSeconds,
  /** Somebody at the machine, and nobody needed there; both together are `seconds`. */
  handsOnSeconds: RangeOfSeconds,
  waitingSeconds: RangeOfSeconds,
  exposedSeconds: RangeOfSeconds,
  /** Bytes of unallocated pieces of 1 MiB or more, below 1 GiB. */
  stranded: Bytes,
});
export type Totals = Static<typeof TotalsShape>;

/**
 * Gives every step a tool of the kit, with the fewest restarts and then the fewest hand-overs, and counts the
 * criteria of domain facts 8.
 */
export function evaluate(task: Task, kit: Kit, { steps: priced, left }: ExecutedIntents): Evaluated {
  const { disk, rates } = task;
  const { tools, restarts, handOvers } = assignTools(kit, priced);
  const steps = priced.map(({ step }, i): Step => ({
    ...step,
    tool: tools[i]!.id,
    seconds: addTimes(copyTime(step.bytesCopied, disk.media, rates), rates.step),
    exposedSeconds: copyTime(step.exposedBytes, disk.media, rates),
    why: '',
  }));
  const totals = totalsOf(task, steps, restarts, handOvers, left);
  const keepsRecoveryBehind =
    task.recoveryBehind === null ||
    recoveryBehind(task.machine, disk, left.partitions)?.number === task.recoveryBehind.number;
  const usual = usualOf(task, { steps, left: left.partitions, totals });
  const touched = new Set(steps.map((step) => step.partition)).size;
  const { madeAnew, bootStarts, orderChanges } = usual;
  return {
    steps,
    left,
    totals,
    criteria: criteriaOf({ totals, keepsRecoveryBehind }),
    usual,
    rank: {
      figures: [
        madeAnew,
        bootStarts,
        orderChanges,
        passesOf(disk, steps),
        totals.stranded,
        touched,
        distanceOf(steps),
      ],
      list: steps
        .map((step) => `${step.verb} ${step.partition} ${step.to?.first} ${step.to?.sectors}`)
        .join(';'),
    },
  };
}

/** Times that something that moves passes another: none where what lies nearest to the free room moves first. */
function passesOf(disk: Disk, steps: readonly Step[]): number {
  const now = new Map(disk.partitions.map(({ number, first }) => [number, first]));
  let passes = 0;
  for (const step of steps) {
    if (step.partition === null) continue;
    if (step.verb === 'move') {
      const [low, high] = [step.from.first, step.to.first].sort((a, b) => a - b);
      for (const [number, first] of now) {
        if (number !== step.partition && first > low! && first < high!) passes++;
      }
    }
    if (step.to) now.set(step.partition, step.to.first);
    else if (step.verb === 'delete' || step.verb === 'set-aside') now.delete(step.partition);
  }
  return passes;
}

/** Sectors that everything moves by, in all. */
const distanceOf = (steps: readonly Step[]): number =>
  steps.reduce(
    (sum, step) => sum + (step.verb === 'move' ? Math.abs(step.to.first - step.from.first) : 0),
    0,
  );

interface Assignment {
  restarts: number;
  handOvers: number;
  tools: Tool[];
  /** Whether the last step waits for a restart. */
  waits: boolean;
}

const better = (a: Assignment, b: Assignment | undefined): boolean =>
  !b || a.restarts < b.restarts || (a.restarts === b.restarts && a.handOvers < b.handOvers);

/** One tool a step: the fewest restarts, then the fewest hand-overs, then those named first in the kit. */
function assignTools(kit: Kit, priced: readonly PricedStep[]): Assignment {
  let found: Assignment[] = [{ restarts: 0, handOvers: 0, tools: [], waits: false }];
  for (const step of priced) {
    const next: Assignment[] = [];
    kit.tools.forEach((tool, t) => {
      if (!hasTool(step.tools, t)) return;
      const waits = hasTool(step.waiting, t);
      let best: Assignment | undefined;
      for (const before of found) {
        const last = before.tools.at(-1);
        const longer: Assignment = {
          restarts: before.restarts + countRestartsAdded(tool, waits, last === tool, before.waits),
          handOvers: before.handOvers + (last === undefined || last === tool ? 0 : 1),
          tools: [...before.tools, tool],
          waits,
        };
        if (better(longer, best)) best = longer;
      }
      next.push(best!);
    });
    found = next;
  }
  return found.reduce((best, one) => (better(one, best) ? one : best));
}

function totalsOf(
  task: Task,
  steps: readonly Step[],
  restarts: number,
  handOvers: number,
  left: Layout,
): Totals {
  const { disk, rates } = task;
  const sum = (pick: (step: Step) => number) => steps.reduce((total, step) => total + pick(step), 0);
  const copying = steps.map((step) => copyTime(step.bytesCopied, disk.media, rates));
  const handsOn = multiplySeconds(rates.step, steps.length);
  const waiting = addTimes(NO_TIME, ...copying, multiplySeconds(rates.restart, restarts));
  const total = (extents: readonly Extent[]) => extents.reduce((all, gap) => all + bytesOf(disk, gap), 0);
  const more = total(freeExtents(left)) - total(freeAsFound(disk, left, steps));
  return {
    bytesCopied: sum((step) => step.bytesCopied),
    exposedBytes: sum((step) => step.exposedBytes),
    restarts,
    steps: steps.length,
    idle: Math.max(0, more - freedBytes(disk, steps)),
    handOvers,
    seconds: addTimes(handsOn, waiting),
    handsOnSeconds: handsOn,
    waitingSeconds: waiting,
    exposedSeconds: addTimes(NO_TIME, ...steps.map((step) => step.exposedSeconds)),
    stranded: countStrandedBytes(disk, left),
  };
}

/** Everything in no partition, room inside the extended partition included. */
const freeExtents = (layout: Pick<Layout, 'usable' | 'partitions'>): Extent[] => [
  ...gapsOf(layout),
  ...freeInFrame(layout),
];

function freeInFrame({ partitions }: Pick<Layout, 'partitions'>): Extent[] {
  const drives = partitions
    .filter((one) => one.kind === 'logical')
    .map(({ first, sectors }) => ({ first, sectors }));
  return partitions
    .filter((one) => one.kind === 'extended')
    .flatMap((frame) => unallocated({ first: frame.first, sectors: frame.sectors }, drives));
}

/** Space that was unallocated as found, in the area that counts as left; an enlarged disk's new room was not there. */
function freeAsFound(disk: Disk, left: Layout, steps: readonly Step[]): Extent[] {
  const enlarged = steps.some((step) => step.verb === 'enlarge-disk');
  const usable = enlarged ? disk.usableRelocated : left.usable;
  return freeExtents({ usable, partitions: disk.partitions });
}

/**
 * What permitted deletions freed: those of partitions that no copy was made of, or whose files lie in another volume
 * for good.
 */
function freedBytes(disk: Disk, steps: readonly Step[]): number {
  const copied = new Set(steps.filter((step) => step.verb === 'copy').map((step) => step.partition));
  for (const step of steps) if (step.verb === 'join' && 'of' in step) copied.delete(step.of);
  return steps.reduce(
    (sum, step) =>
      sum + (step.verb === 'delete' && !copied.has(step.partition) ? bytesOf(disk, step.from) : 0),
    0,
  );
}

/** Unallocated pieces of 1 MiB or more, below 1 GiB; the MiB before a logical drive is no room. */
export function countStrandedBytes(disk: Disk, layout: Pick<Layout, 'usable' | 'partitions'>): number {
  const slot = alignment(disk);
  const outside = gapsOf(layout).filter((gap) => gap.sectors >= slot);
  const inside = freeInFrame(layout).filter((gap) => gap.sectors > slot);
  return [...outside, ...inside]
    .map((gap) => bytesOf(disk, gap))
    .filter((bytes) => bytes < GIB)
    .reduce((sum, bytes) => sum + bytes, 0);
}
