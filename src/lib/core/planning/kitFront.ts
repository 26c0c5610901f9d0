import { endOf, MBR_REACH, sameExtent, type Partition } from '../disk';
import { usedBeyond } from './costs';
import { judge, type Judged } from './criteria';
import { donorBound } from './floors';
import { largestByPushing, pushesFor } from './pushing';
import type { Task } from './request';
import { retooled } from './retool';
import { Front } from './search/front';
import { boardOf, type Board } from './search/pieces';
import {
  roomInAll,
  searchFront,
  searchLargest,
  type Budget,
  type Found,
  type Variant,
} from './search/search';
import type { Choice } from './search/materialize';
import { canShrink, type Kit } from './tools';

/** Partitions up to which the search looks at all of them; of larger disks it sees those around the target. */
export const MOST_PARTITIONS = 12;

/** The unbeaten routes of a kit, and how far the promise of completeness goes. */
export interface KitFront {
  kit: Kit;
  /** Bytes that the target ends with. */
  size: number;
  routes: Judged[];
  /** The steps of each route with the tools that could do them. */
  choices: Choice[][];
  /** Every unbeaten route of up to 8 steps is there. */
  complete: boolean;
  /** The budget ran out. */
  stopped: boolean;
}

/**
 * All unbeaten routes to the size, with one kit.
 * @param seeds what other kits were found to do to the same size: a good beginning, from which the search has less to prove
 */
export function frontFor(
  task: Task,
  kit: Kit,
  size: number,
  budget: Budget,
  seeds: readonly Choice[][] = [],
): KitFront {
  const front = new Front<Found>();
  const judged = new Map<Choice[], Judged>();
  const judgeChoices = (choices: Choice[]) => {
    const found = judge(task, kit, choices);
    if (found) judged.set(choices, found);
    return found;
  };
  const pushes = heldBack(task) ? [] : pushesFor(task, kit, size);
  const begun = [...pushes, ...seeds.map((choices) => retooled(task, kit, choices))];
  for (const choices of begun) {
    const found = choices && judgeChoices(choices);
    if (found) front.add({ ...found, value: { choices, vector: found.vector } });
  }
  const whole = task.disk.partitions.length <= MOST_PARTITIONS;
  const goal = size / task.disk.sectorSize;
  const finished = searchFront(variantsOf(task, kit, goal), goal, front, judgeChoices, budget);
  const routes = front.members.map((member) => judged.get(member.value.choices)!);
  const longest = routes.every((route) => route.steps.length <= 8);
  const choices = front.members.map((member) => member.value.choices);
  return { kit, size, routes, choices, complete: whole && finished && longest, stopped: !finished };
}

/**
 * The most bytes that a kit can give the target, without enlarging the disk: what pushing alone reaches, or more where
 * the search finds a way to it. On a disk that the search can't see whole it is not asked.
 */
export function largestFor(task: Task, kit: Kit, budget: Budget): number {
  const { sectorSize, partitions } = task.disk;
  const pushed = heldBack(task) ? task.target.sectors : largestByPushing(task, kit);
  if (partitions.length > MOST_PARTITIONS) return pushed * sectorSize;
  const variants = variantsOf(task, kit, 0);
  const enough = Math.max(0, ...variants.map((variant) => roomInAll(variant.board, 0)));
  if (pushed >= enough) return pushed * sectorSize;
  const most = searchLargest(variants, pushed, enough, { ...budget });
  // What the search says can be had must also be found as a route.
  const found = most > pushed && frontFor(task, kit, most * sectorSize, budget).routes.length > 0;
  return (found ? most : pushed) * sectorSize;
}

/** Pushing knows nothing of amounts that somebody holds. */
const heldBack = (task: Task): boolean => [...task.gives.values()].some((bytes) => bytes > 0);

/** With the table where it is or at the end, with the disk as large as it is or enlarged. */
function variantsOf(task: Task, kit: Kit, goal: number): Variant[] {
  const { disk } = task;
  const misplaced = !sameExtent(disk.usable, disk.usableRelocated);
  const variants: (Variant | null)[] = [variantOf(task, kit, disk.usable, false, 0)];
  if (misplaced) variants.push(variantOf(task, kit, disk.usableRelocated, true, 0));
  if (task.mayEnlargeDisk && goal > 0) {
    const slot = variants[0]?.board.slot ?? 1;
    const most = disk.table === 'mbr' ? MBR_REACH - disk.sectors : goal;
    const slots = Math.floor(most / slot) + (disk.table === 'mbr' ? 0 : 1);
    if (slots > 0) variants.push(variantOf(task, kit, disk.usableRelocated, disk.table === 'gpt', slots));
  }
  return variants.filter((variant) => variant !== null);
}

function variantOf(
  task: Task,
  kit: Kit,
  usable: { first: number; sectors: number },
  relocate: boolean,
  enlarge: number,
): Variant | null {
  const { window, area } = windowOf(task, { first: usable.first, end: endOf(usable) });
  const board = boardOf(task, kit, window, area);
  const held = heldShrinks(task, board);
  if (!held) return null;
  return {
    board,
    enlarge,
    prelude: { relocate, enlarge: enlarge > 0, held },
    steps: (relocate ? 1 : 0) + (enlarge > 0 ? 1 : 0) + held.length,
    bytes: held.reduce((sum, { step }) => sum + step.bytesCopied, 0),
  };
}

/** The partitions that the search looks at, and the area that they share: all, or those around the target. */
function windowOf(task: Task, area: Board['area']): { window: Partition[]; area: Board['area'] } {
  const { partitions } = task.disk;
  if (partitions.length <= MOST_PARTITIONS) return { window: partitions, area };
  const index = partitions.indexOf(task.target);
  // Room mostly comes from behind; a frame is looked at whole or not at all.
  const from = Math.max(0, Math.min(index - LEFT_OF_TARGET, partitions.length - MOST_PARTITIONS));
  const window = partitions.slice(from, from + MOST_PARTITIONS);
  const [before, after] = [partitions[from - 1], partitions[from + MOST_PARTITIONS]];
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

/** Shrinks by amounts that the technician holds, done to the board; null: no tool of the kit can do one. */
function heldShrinks(task: Task, board: Board): Choice[] | null {
  const { disk } = task;
  const held: Choice[] = [];
  for (const [number, bytes] of task.gives) {
    if (bytes === 0) continue;
    const piece = board.pieces.find((one) => one.partition.number === number && one.kind !== 'close');
    if (!piece?.partition.volume) return null;
    const left = piece.sectors * disk.sectorSize - bytes;
    const tools = board.kit.tools.reduce((set, tool, i) => {
      const bound = donorBound(disk, piece.partition, task.keepFree, tool.floor);
      return canShrink(tool, piece.partition) && bound !== null && bound <= left ? set | (1 << i) : set;
    }, 0);
    if (tools === 0) return null;
    const from = { first: piece.first, sectors: piece.sectors };
    piece.sectors = left / disk.sectorSize;
    piece.slots = Math.ceil(piece.sectors / board.slot);
    const to = { first: piece.first, sectors: piece.sectors };
    const { partition } = piece;
    held.push({
      step: {
        verb: 'shrink',
        partition: partition.number,
        id: partition.id,
        from,
        to,
        bytesCopied: usedBeyond(partition.volume!, left),
        exposedBytes: 0,
      },
      tools,
      waiting: 0,
    });
  }
  return held;
}
