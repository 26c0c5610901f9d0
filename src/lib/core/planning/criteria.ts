import { alignment, bytesOf, unallocated, type Disk, type Extent } from '../disk';
import { GIB } from '../units';
import { gapsOf, layoutsAlong, type Layout } from './layout';
import { recoveryBehind } from './recovery';
import { addTimes, copyTime, NO_TIME, timesOver, type Seconds } from './rates';
import type { Choice } from './search/materialize';
import type { Vector, Rank } from './search/front';
import type { Step } from './steps';
import type { Task } from './request';
import type { Kit, Tool } from './tools';

/** A list of steps with everything that can be counted about it. */
export interface Judged {
  steps: Step[];
  vector: Vector;
  rank: Rank;
  left: Layout;
  totals: Totals;
}

export interface Totals {
  bytesCopied: number;
  exposedBytes: number;
  restarts: number;
  /** Restarts are not steps. */
  steps: number;
  /** Bytes that donors gave and nobody got. */
  idle: number;
  /** Changes from one tool to another. */
  handOvers: number;
  seconds: Seconds;
  /** Somebody at the machine, and nobody needed there; both together are `seconds`. */
  handsOnSeconds: Seconds;
  waitingSeconds: Seconds;
  exposedSeconds: Seconds;
  /** Bytes of unallocated pieces of 1 MiB or more, below 1 GiB. */
  stranded: number;
}

/**
 * Gives every step a tool of the kit, with the fewest restarts and then the fewest hand-overs, and counts the
 * criteria of domain facts 8. null: a step is not possible on the layout before it, or serves no purpose.
 * @param known the layout that the steps lead to, where it is known that they are possible
 */
export function judge(task: Task, kit: Kit, choices: readonly Choice[], known?: Layout): Judged | null {
  const tools = toolsFor(kit, choices);
  if (!tools) return null;
  const { disk, rates } = task;
  const steps = choices.map(({ step }, i): Step => {
    const bytes = step.bytesCopied;
    return {
      ...step,
      tool: tools[i]!.id,
      seconds: addTimes(copyTime(bytes, disk.media, rates), rates.step),
      exposedSeconds: copyTime(step.exposedBytes, disk.media, rates),
      why: '',
    } as Step;
  });
  const left = known ?? leftBy(disk, steps);
  if (!left) return null;
  const totals = totalsOf(task, steps, tools, restartsOf(choices, kit, tools), left);
  const keeps =
    task.recoveryBehind === null ||
    recoveryBehind(task.machine, disk, left.partitions)?.number === task.recoveryBehind.number;
  const { bytesCopied, exposedBytes, restarts, idle } = totals;
  return {
    steps,
    left,
    totals,
    vector: [bytesCopied, exposedBytes, restarts, steps.length, idle, keeps ? 0 : 1],
    rank: {
      stranded: totals.stranded,
      touched: new Set(steps.map((step) => step.partition)).size,
      list: steps
        .map((step) => `${step.verb} ${step.partition} ${step.to?.first} ${step.to?.sectors}`)
        .join(';'),
    },
  };
}

function leftBy(disk: Disk, steps: readonly Step[]): Layout | null {
  try {
    return layoutsAlong(disk, steps).at(-1)!;
  } catch {
    return null;
  }
}

interface Way {
  restarts: number;
  handOvers: number;
  tools: Tool[];
}

const better = (a: Way, b: Way | undefined): boolean =>
  !b || a.restarts < b.restarts || (a.restarts === b.restarts && a.handOvers < b.handOvers);

/** One tool a step: the fewest restarts, then the fewest hand-overs, then those named first in the kit. */
function toolsFor(kit: Kit, choices: readonly Choice[]): Tool[] | null {
  let ways = new Map<string, Way>();
  for (const [i, choice] of choices.entries()) {
    const next = new Map<string, Way>();
    kit.tools.forEach((tool, t) => {
      if (!(choice.tools & (1 << t))) return;
      const waits = (choice.waiting & (1 << t)) !== 0;
      const before: (Way & { tool?: Tool; waited?: boolean })[] =
        i === 0
          ? [{ restarts: 0, handOvers: 0, tools: [] }]
          : [...ways].map(([key, way]) => ({ ...way, tool: way.tools.at(-1)!, waited: key.endsWith('!') }));
      for (const way of before) {
        const same = way.tool === tool;
        const run = same ? 0 : tool.restartsPerRun;
        const restart = waits && !(same && way.waited) ? 1 : 0;
        const longer: Way = {
          restarts: way.restarts + run + restart,
          handOvers: way.handOvers + (same || i === 0 ? 0 : 1),
          tools: [...way.tools, tool],
        };
        const key = `${t}${waits ? '!' : ''}`;
        if (better(longer, next.get(key))) next.set(key, longer);
      }
    });
    ways = next;
  }
  let best: Way | undefined;
  for (const way of ways.values()) if (better(way, best)) best = way;
  return best?.tools ?? null;
}

function restartsOf(choices: readonly Choice[], kit: Kit, tools: readonly Tool[]): number {
  let restarts = 0;
  choices.forEach((choice, i) => {
    const tool = tools[i]!;
    const same = tools[i - 1] === tool;
    const waits = (set: number) => (set & (1 << kit.tools.indexOf(tool))) !== 0;
    if (!same) restarts += tool.restartsPerRun;
    if (waits(choice.waiting) && !(same && waits(choices[i - 1]!.waiting))) restarts += 1;
  });
  return restarts;
}

function totalsOf(
  task: Task,
  steps: readonly Step[],
  tools: readonly Tool[],
  restarts: number,
  left: Layout,
): Totals {
  const { disk, rates } = task;
  const sum = (pick: (step: Step) => number) => steps.reduce((total, step) => total + pick(step), 0);
  const copying = steps.map((step) => copyTime(step.bytesCopied, disk.media, rates));
  const handsOn = timesOver(rates.step, steps.length);
  const waiting = addTimes(NO_TIME, ...copying, timesOver(rates.restart, restarts));
  const pieces = freePieces(disk, left);
  const total = (extents: readonly Extent[]) => extents.reduce((all, gap) => all + bytesOf(disk, gap), 0);
  return {
    bytesCopied: sum((step) => step.bytesCopied),
    exposedBytes: sum((step) => step.exposedBytes),
    restarts,
    steps: steps.length,
    idle: Math.max(0, total(pieces) - total(foundPieces(disk, left, steps)) - freedBytes(disk, steps)),
    handOvers: tools.filter((tool, i) => i > 0 && tool !== tools[i - 1]).length,
    seconds: addTimes(handsOn, waiting),
    handsOnSeconds: handsOn,
    waitingSeconds: waiting,
    exposedSeconds: addTimes(NO_TIME, ...steps.map((step) => step.exposedSeconds)),
    stranded: strandedBytes(disk, left),
  };
}

/** Everything in no partition, room inside the extended partition included. */
function freePieces(disk: Disk, layout: Pick<Layout, 'usable' | 'partitions'>): Extent[] {
  return [...unallocated(layout.usable, layout.partitions), ...insidePieces(layout)].filter(
    (gap) => bytesOf(disk, gap) > 0,
  );
}

function insidePieces({ partitions }: Pick<Layout, 'partitions'>): Extent[] {
  const drives = partitions
    .filter((one) => one.kind === 'logical')
    .map(({ first, sectors }) => ({ first, sectors }));
  return partitions
    .filter((one) => one.kind === 'extended')
    .flatMap((frame) => unallocated({ first: frame.first, sectors: frame.sectors }, drives));
}

/** What was unallocated as found, in the area that counts as left; an enlarged disk's new room was not there. */
function foundPieces(disk: Disk, left: Layout, steps: readonly Step[]): Extent[] {
  const enlarged = steps.some((step) => step.verb === 'enlarge-disk');
  const usable = enlarged ? disk.usableRelocated : left.usable;
  return freePieces(disk, { usable, partitions: disk.partitions });
}

/** What permitted deletions freed: those of partitions that no copy was made of. */
function freedBytes(disk: Disk, steps: readonly Step[]): number {
  const copied = new Set(steps.filter((step) => step.verb === 'copy').map((step) => step.partition));
  return steps.reduce(
    (sum, step) =>
      sum + (step.verb === 'delete' && !copied.has(step.partition) ? bytesOf(disk, step.from) : 0),
    0,
  );
}

/** Unallocated pieces of 1 MiB or more, below 1 GiB; the MiB before a logical drive is no room. */
export function strandedBytes(disk: Disk, layout: Pick<Layout, 'usable' | 'partitions'>): number {
  const slot = alignment(disk);
  const outside = gapsOf(layout as Layout).filter((gap) => gap.sectors >= slot);
  const inside = insidePieces(layout).filter((gap) => gap.sectors > slot);
  return [...outside, ...inside]
    .map((gap) => bytesOf(disk, gap))
    .filter((bytes) => bytes < GIB)
    .reduce((sum, bytes) => sum + bytes, 0);
}
