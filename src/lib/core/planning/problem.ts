import { computeAllowedIdle } from './usual';
import { alignment, bytesOf, endOf, MBR_REACH, areSameExtents, type Extent, type Partition } from '../disk';
import { executeIntent, executeIntents, layoutOf, type Intent, type PricedStep } from '../steps';
import type { Kit } from '../tools';
import { joinedLater } from './joining';
import type { Asked } from './asked';
import { waysOf } from './ways';
import { evaluate, type Evaluated } from './evaluate';
import { findLargestByPushing, listPushes } from './pushing';
import { ParetoFront } from './search/paretoFront';
import { UsualBest } from './search/usualBest';
import { areSameCriteria } from './criteria';
import { searchProblemOf, SMALL_DISK, type SearchProblem } from './search/searchProblem';
import { MAX_STEPS, prepared, searchFront, type Budget, type Variant } from './search/search';
import { countRoomInAll, searchLargest, type Offered } from './search/largest';
import type { Task } from './task';

/** Partitions up to which the search looks at all of them; of larger disks it sees those around the target. */
export const MAX_PARTITIONS = 12;

/** The question to one kit, as the search takes it: how much is the most, and which ways lead to a size. */
export interface KitProblem {
  task: Task;
  /** The task as the search sees it: as found, and with something done first. */
  ways: Asked[];
  kit: Kit;
  /** Whether every partition is looked at. */
  whole: boolean;
  /** Whether what nobody would choose is let go (docs/planner.md). */
  narrow: boolean;
  /** With the table where it is or at the end, with the disk as large as it is or enlarged. */
  variantsFor: (goal: number) => Variant[];
}

export function kitProblemOf(task: Task, kit: Kit, narrow = true): KitProblem {
  const ways = waysOf(task, kit);
  return {
    task,
    ways,
    kit,
    whole: task.disk.partitions.length <= MAX_PARTITIONS,
    narrow,
    variantsFor: (goal) => ways.flatMap((way) => variantsOf(way, kit, narrow, goal)),
  };
}

/** The usual way and the unbeaten routes of a kit, and how far the promise of completeness goes. */
export interface KitFront {
  kit: Kit;
  /** Bytes that the target ends with. */
  size: number;
  routes: Evaluated[];
  /** Intents of the steps of each route. */
  intents: Intent[][];
  /** Steps up to which ways beside the usual one were looked for. */
  steps: number;
  /** All that is promised is there (docs/planner.md). */
  complete: boolean;
  /** The budget ran out. */
  stopped: boolean;
}

/**
 * All unbeaten routes to a size in bytes.
 * @param seeds what other kits were found to do to the same size: a good beginning where the budget runs out
 */
export function frontOf(
  { task, ways, kit, whole, narrow, variantsFor }: KitProblem,
  size: number,
  budget: Budget,
  seeds: readonly Intent[][] = [],
): KitFront {
  const front = new ParetoFront<{ route: Evaluated; intents: Intent[] }>(
    computeAllowedIdle(size - bytesOf(task.disk, task.target)),
  );
  const usual = new UsualBest(task, size);
  const take = (intents: Intent[]): boolean => {
    const later = joinedLater(task, intents);
    const taken = offer(intents);
    return (later !== null && offer(later)) || taken;
  };
  const offer = (intents: Intent[]): boolean => {
    const executed = executeIntents(task, kit, intents);
    if (!executed.ok) return false;
    const route = evaluate(task, kit, executed.value);
    front.add({ criteria: route.criteria, rank: route.rank, value: { route, intents } });
    usual.offer(route, intents);
    return true;
  };
  if (!holdsAmounts(task))
    for (const way of ways) {
      const first = way.first.map(({ intent }) => intent);
      listPushes(way.task, kit, size).forEach((intents) => take([...first, ...intents, ...way.last]));
    }
  seeds.forEach(take);
  const goal = size / task.disk.sectorSize;
  const variants = prepared(variantsFor(goal), goal);
  const share = { ...budget, nodes: Math.floor(budget.nodes * USUAL_SHARE) };
  const settled = searchFront(variants, usual, take, share);
  budget.steps = narrow && usual.found ? stepsBeside(task, usual.found.route.steps.length) : budget.steps;
  const finished = searchFront(variants, front, take, budget);
  const found = front.members.map(({ value }) => value);
  // The most usual way may be beaten in every criterion, by ways that nobody would take before it.
  const first = usual.found;
  if (first && !found.some(({ route }) => areSameCriteria(route.criteria, first.route.criteria)))
    found.push(first);
  const routes = found.map(({ route }) => route);
  return {
    kit,
    size,
    routes,
    intents: found.map(({ intents }) => intents),
    steps: budget.steps,
    complete: whole && settled && finished && routes.every((route) => route.steps.length <= 8),
    stopped: !finished || !settled,
  };
}

/**
 * Steps up to which other routes are looked for beside a usual way of so many: two more, on a small disk six at the
 * least, on others five at the least and six at the most. Nobody would choose one with more.
 */
const stepsBeside = ({ disk }: Task, usual: number): number =>
  disk.partitions.length <= SMALL_DISK
    ? Math.min(MAX_STEPS, Math.max(6, usual + 2))
    : Math.min(6, Math.max(5, usual + 2));

/** The most usual way is looked for first, with a share of the search of its own. */
const USUAL_SHARE = 0.7;

/** The most bytes that a kit can give the target, and ways to it that pushing alone does not find. */
interface LargestFound {
  bytes: number;
  ways: Intent[][];
}

/**
 * The most bytes that a kit can give the target, without enlarging the disk: what pushing alone reaches, or more where
 * the search finds a way to it. On a disk that the search can't see whole it is not asked.
 */
export function largestOf(kitProblem: KitProblem, budget: Budget): LargestFound {
  const { task, kit, whole, variantsFor } = kitProblem;
  const { sectorSize } = task.disk;
  const offered = endOnMib(task);
  const pushed = holdsAmounts(task)
    ? task.target.sectors
    : offered(Math.max(...kitProblem.ways.map((way) => findLargestByPushing(way.task, kit))), false);
  const byPushing = { bytes: pushed * sectorSize, ways: [] };
  if (!whole) return byPushing;
  const variants = variantsFor(0);
  const enough = offered(Math.max(0, ...variants.map(({ problem }) => countRoomInAll(problem))), false);
  if (pushed >= enough) return byPushing;
  const { most, ways } = searchLargest(variants, pushed, enough, { ...budget }, offered);
  // A size that the search says can be had must also be carried out.
  const good = ways.filter((intents) => executeIntents(task, kit, intents).ok);
  return good.length > 0 ? { bytes: most * sectorSize, ways: good } : byPushing;
}

/**
 * Brings a size in sectors down so that the target ends on a whole MiB, as Windows and the movers have it (domain facts
 * 1); never below its size as found, wherever that ends. A target that moves starts on a whole MiB.
 */
export function endOnMib({ disk, target }: Pick<Task, 'disk' | 'target'>): Offered {
  const slot = alignment(disk);
  return (sectors, targetMoves) => {
    const first = targetMoves ? 0 : target.first;
    return Math.max(target.sectors, Math.floor((first + sectors) / slot) * slot - first);
  };
}

/** Pushing knows nothing of amounts that somebody holds. */
const holdsAmounts = (task: Task): boolean => [...task.gives.values()].some((bytes) => bytes > 0);

function variantsOf(asked: Asked, kit: Kit, narrow: boolean, goal: number): Variant[] {
  const { task } = asked;
  const { disk } = task;
  const variant = (usable: Extent, relocate: boolean, enlarge: number) =>
    variantOf({ asked, kit, narrow }, usable, relocate, enlarge);
  const misplaced = !areSameExtents(disk.usable, disk.usableRelocated);
  const variants: (Variant | null)[] = [variant(disk.usable, false, 0)];
  if (misplaced) variants.push(variant(disk.usableRelocated, true, 0));
  if (task.mayEnlargeDisk && goal > 0) {
    const slot = variants[0]?.problem.slot ?? 1;
    const most = disk.table === 'mbr' ? MBR_REACH - disk.sectors : goal;
    const slots = Math.floor(most / slot) + (disk.table === 'mbr' ? 0 : 1);
    if (slots > 0) variants.push(variant(disk.usableRelocated, disk.table === 'gpt', slots));
  }
  return variants.filter((one) => one !== null);
}

function variantOf(
  { asked, kit, narrow }: { asked: Asked } & Pick<KitProblem, 'kit' | 'narrow'>,
  usable: Extent,
  relocate: boolean,
  enlarge: number,
): Variant | null {
  const { task } = asked;
  const { window, area } = windowOf(task, { first: usable.first, end: endOf(usable) });
  const problem = searchProblemOf(task, kit, window, area, !narrow);
  const shrinks = heldShrinks(task, problem);
  if (!shrinks) return null;
  const held = [...asked.first, ...shrinks];
  return {
    problem,
    enlarge,
    prelude: { relocate, enlarge: enlarge > 0, held: held.map(({ intent }) => intent), last: asked.last },
    held: held.map(({ priced }) => priced),
    steps: (relocate ? 1 : 0) + (enlarge > 0 ? 1 : 0) + held.length + asked.last.length,
    bytes: held.reduce((sum, { priced }) => sum + priced.step.bytesCopied, asked.lastBytes),
  };
}

/** The partitions that the search looks at, and the area that they share: all, or those around the target. */
function windowOf(
  task: Task,
  area: SearchProblem['area'],
): { window: Partition[]; area: SearchProblem['area'] } {
  const { partitions } = task.disk;
  if (partitions.length <= MAX_PARTITIONS) return { window: partitions, area };
  const index = partitions.indexOf(task.target);
  // Room mostly comes from behind; a frame is looked at whole or not at all.
  const from = Math.max(0, Math.min(index - LEFT_OF_TARGET, partitions.length - MAX_PARTITIONS));
  const window = partitions.slice(from, from + MAX_PARTITIONS);
  const [before, after] = [partitions[from - 1], partitions[from + MAX_PARTITIONS]];
  const framed = partitions.some((partition) => partition.kind === 'extended');
  return {
    window: framed ? window.filter((partition) => partition.kind !== 'logical') : window,
    area: {
      first: before && !framed ? endOf(before) : area.first,
      end: after && !framed ? after.first : area.end,
    },
  };
}
const LEFT_OF_TARGET = 3;

/** Shrinks by amounts that the technician holds, done to the search problem; null: no tool of the kit can do one. */
function heldShrinks(task: Task, problem: SearchProblem): { intent: Intent; priced: PricedStep }[] | null {
  const { disk } = task;
  let layout = layoutOf(disk, task.outside);
  const held: { intent: Intent; priced: PricedStep }[] = [];
  for (const [number, bytes] of task.gives) {
    if (bytes === 0) continue;
    const block = problem.blocks.find((one) => one.partition.number === number && one.kind !== 'close');
    if (!block) return null;
    const sectors = block.sectors - bytes / disk.sectorSize;
    const intent = { verb: 'shrink', partition: number, to: { first: block.first, sectors } } as const;
    const executed = executeIntent({ terms: task, kit: problem.kit, layout }, intent);
    if (!executed.ok) return null;
    layout = executed.value.after;
    block.sectors = sectors;
    block.slots = Math.ceil(sectors / problem.slot);
    held.push({ intent, priced: executed.value.priced });
  }
  return held;
}
