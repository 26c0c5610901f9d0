import { alignment, bytesOf, endOf, type Disk, type Extent, type Partition } from '../../disk';
import type { OutsidePlace } from '../../steps';
import {
  findBendsOfUse,
  both,
  findAsideRoom,
  canCopy,
  canDecrypt,
  canExtend,
  canFormat,
  canMove,
  canShrink,
  decryptBytes,
  either,
  computeLeastRecovery,
  marginOf,
  moveBytes,
  movesAtRestart,
  NO_TOOLS,
  selectTools,
  countUsedBeyond,
  windowsAlone,
  without,
  type Kit,
  type Tool,
  type ToolSet,
} from '../../tools';
import { MIB, roundUp } from '../../units';
import type { Corner } from '../shares';
import type { Task } from '../task';
import { isBootedFrom, MADE_ANEW } from '../usual';

/** Limit to which something may be made smaller, and the tools that do so. */
export interface Smaller {
  tools: ToolSet;
  /** Slots that it can give up at the most; at least 1. */
  most: number;
  /** Need to decrypt it first. */
  decrypted: boolean;
}

/**
 * What the search pushes about: a partition, or one end of the extended partition. Places and sizes in sectors
 * as found; everything that is chosen is counted in slots of 1 MiB.
 */
export interface Block {
  id: number;
  partition: Partition;
  kind: 'primary' | 'logical' | 'open' | 'close';
  first: number;
  sectors: number;
  /** Its size in whole slots, rounded up. */
  slots: number;
  /** Bytes that a move copies, and the tools that can move it: as it is, and once decrypted. */
  moveBytes: number;
  movers: ToolSet;
  moversOnceDecrypted: ToolSet;
  /** Tools among those that wait for a restart. */
  atRestart: ToolSet;
  /** Bytes of a decryption; null where it is not encrypted or can't be decrypted. */
  decryptBytes: number | null;
  /** Ways to shrink it where it is. */
  shrinks: Smaller[];
  /** Ways to make it anew, smaller perhaps, when its files are copied; `most` may be 0 here. */
  copies: Smaller[];
  copyBytes: number;
  /** Bytes of setting it aside, and of putting it back; null: not to be set aside. */
  asideBytes: number | null;
  /** Slots by which it may be put back smaller. */
  asideMost: number;
  /**
   * Slots by which the target, being the Windows volume, must be extended before this is set aside; 0: there is room as
   * found.
   */
  asideNeeds: number;
  deletable: boolean;
  /** Whether the machine boots from it, and what its leaving counts as made anew where it can leave in no other way. */
  bootedFrom: boolean;
  leavesAnew: number;
  /** Permission to end smaller by an amount that the search chooses. */
  gives: boolean;
  /** Bytes copied when it gives up so many slots. */
  shrinkCost: (slots: number) => number;
  /** The tools that can extend it again once it was shrunk: as it is, and once decrypted. */
  growers: ToolSet;
  growersOnceDecrypted: ToolSet;
  /** Corners of that cost, for bounds. */
  corners: Corner[];
  grain: number;
}

/** The disk and the question, ready for the search. */
export interface SearchProblem {
  task: Task;
  disk: Disk;
  kit: Kit;
  /** Sectors in a slot. */
  slot: number;
  blocks: Block[];
  /** Ids in the order of their position. */
  order: number[];
  target: number;
  /**
   * Donors that are looked at as growing back for its own sake, as bits; on larger disks that is only tried with what
   * is worth taking without it.
   */
  growable: number;
  /** First sector of the area, and the one behind its end. */
  area: { first: number; end: number };
  outside: readonly OutsidePlace[];
  /** Number of partitions that the table can still take. */
  freeEntries: number;
  /** The recovery partition that stood right behind Windows and should do so again, where there is one. */
  recovery: number | null;
  windows: number | null;
}

/**
 * The search problem of `window` partitions of the disk within an area.
 * @param thorough nothing is let go, however large the disk
 */
export function searchProblemOf(
  task: Task,
  kit: Kit,
  window: readonly Partition[],
  area: SearchProblem['area'],
  thorough = false,
): SearchProblem {
  const { disk } = task;
  const slot = alignment(disk);
  const blocks: Block[] = [];
  const ends: { id: number; at: number; rank: number }[] = [];
  const drives = window.filter((partition) => partition.kind === 'logical');
  const add = (partition: Partition, kind: Block['kind'], extent: Extent, rank: number): void => {
    const id = blocks.length;
    blocks.push(blockOf({ task, kit, slot }, id, partition, kind, extent));
    ends.push({ id, at: extent.first, rank });
  };
  for (const partition of window) {
    if (partition.kind === 'extended' && drives.length > 0) {
      add(partition, 'open', { first: partition.first, sectors: 0 }, 0);
      add(partition, 'close', { first: endOf(partition), sectors: 0 }, 2);
    } else {
      add(partition, partition.kind === 'logical' ? 'logical' : 'primary', partition, 1);
    }
  }
  // At one place: a frame opens before what it holds and closes before what follows.
  const order = ends
    .sort((a, b) => a.at - b.at || (a.rank === 2 ? -1 : b.rank === 2 ? 1 : a.rank - b.rank))
    .map(({ id }) => id);
  const idOf = (partition: Partition | null | undefined): number | null =>
    blocks.find((block) => block.partition === partition)?.id ?? null;
  const primaries = disk.partitions.filter((partition) => partition.kind !== 'logical').length;
  return {
    task,
    disk,
    kit,
    slot,
    blocks,
    order,
    target: idOf(task.target)!,
    growable: thorough || disk.partitions.length <= SMALL_DISK ? growableIn(blocks) : 0,
    area,
    outside: task.outside,
    freeEntries: (disk.table === 'mbr' ? 4 : 128) - primaries,
    recovery: idOf(task.recoveryBehind),
    windows: idOf(disk.partitions.find((partition) => partition.role === 'windows')),
  };
}

/**
 * Partitions up to which more is looked for: what is worth taking only since a donor grows back, and ways of more
 * steps.
 */
export const SMALL_DISK = 5;

const growableIn = (blocks: readonly Block[]): number =>
  blocks.reduce(
    (set, { id, shrinks, growersOnceDecrypted }) =>
      shrinks.length > 0 && growersOnceDecrypted !== NO_TOOLS ? set | (1 << id) : set,
    0,
  );

function blockOf(
  { task, kit, slot }: { task: Task; kit: Kit; slot: number },
  id: number,
  partition: Partition,
  kind: Block['kind'],
  { first, sectors }: Extent,
): Block {
  const { disk } = task;
  const slots = Math.ceil(sectors / slot);
  const fixed = task.fixed.has(partition.number);
  const frame = kind === 'open' || kind === 'close';
  const block: Block = {
    id,
    partition,
    kind,
    first,
    sectors,
    slots,
    moveBytes: 0,
    movers: NO_TOOLS,
    moversOnceDecrypted: NO_TOOLS,
    atRestart: NO_TOOLS,
    decryptBytes: null,
    shrinks: [],
    copies: [],
    copyBytes: 0,
    asideBytes: null,
    asideMost: 0,
    asideNeeds: 0,
    deletable: task.mayDelete.has(partition.number) && !frame && partition.kind !== 'extended' && !fixed,
    bootedFrom: !frame && isBootedFrom(partition),
    leavesAnew: 0,
    gives: false,
    shrinkCost: () => 0,
    growers: NO_TOOLS,
    growersOnceDecrypted: NO_TOOLS,
    corners: [{ slots: 0, bytes: 0 }],
    grain: 1,
  };
  if (fixed) return block;
  if (frame) {
    block.movers = selectTools(kit, (tool) => tool.resizesExtended);
    return block;
  }
  block.moveBytes = moveBytes(disk, partition);
  block.movers = selectTools(kit, (tool) => canMove(tool, partition));
  const windowsHere = windowsAlone(kit) !== NO_TOOLS;
  if (canDecrypt(partition) && windowsHere) {
    block.decryptBytes = decryptBytes(partition.volume!);
    block.moversOnceDecrypted = selectTools(kit, (tool) => canMove(tool, partition, { decrypted: true }));
  }
  block.atRestart = selectTools(kit, (tool) => movesAtRestart(tool, partition));
  const { volume } = partition;
  const used = volume?.used ?? null;
  if (partition === task.target) {
    // Its files may go to a new volume, which is extended then, or made as large as is asked for at once.
    const decrypted = block.decryptBytes !== null;
    if (!canCopy(partition, { decrypted })) return block;
    const least = roundUp(used! + marginOf(volume!, used!), MIB) / MIB;
    block.copyBytes = used!;
    const made = formatters(
      kit,
      partition,
      Math.max(bytesOf(disk, partition), task.size === 'max' ? 0 : task.size),
    );
    if (made !== NO_TOOLS) block.copies = [{ tools: made, most: Math.max(0, slots - least), decrypted }];
    return block;
  }
  block.gives = task.donors.has(partition.number) && !task.gives.has(partition.number);
  if (volume && used !== null && block.gives) {
    block.shrinks = shrinksOf(task, kit, partition, slots, block.decryptBytes !== null);
    block.shrinkCost = (given) => (given === 0 ? 0 : countUsedBeyond(volume, (slots - given) * MIB));
    const most = Math.max(0, ...block.shrinks.map((way) => way.most));
    if (most > 0) {
      const bends = findBendsOfUse(volume, (slots - most) * MIB);
      const corners = bends.map(({ x, bytes }) => ({ slots: slots - x / MIB, bytes }));
      block.corners.push(...(corners.length > 0 ? corners : [{ slots: most, bytes: 0 }]));
    }
    block.grain = Math.max(1, volume.clusterSize);
    block.growers = selectTools(kit, (tool) => canExtend(tool, partition));
    block.growersOnceDecrypted = selectTools(kit, (tool) => canExtend(tool, partition, { decrypted: true }));
  }
  const decryptable = block.decryptBytes !== null;
  if (canCopy(partition, { decrypted: decryptable })) {
    block.copyBytes = used!;
    block.copies = copiesOf({ task, kit }, partition, slots, block.gives, decryptable);
  }
  const room = windowsHere ? findAsideRoom(task.machine, disk, partition) : null;
  if (room && (room.missing <= 0 || room.windows === task.target)) {
    block.asideNeeds = Math.max(0, Math.ceil(room.missing / MIB));
    block.asideBytes = used ?? bytesOf(disk, partition);
    if (task.donors.has(partition.number) && used !== null) {
      block.asideMost = Math.max(0, slots - computeLeastRecovery(used) / MIB);
    }
  }
  if (!block.deletable && either(block.movers, block.moversOnceDecrypted) === NO_TOOLS) {
    block.leavesAnew = block.asideBytes !== null ? MADE_ANEW.aside : MADE_ANEW.copied;
  }
  return block;
}

function shrinksOf(
  task: Task,
  kit: Kit,
  partition: Partition,
  slots: number,
  decryptable: boolean,
): Smaller[] {
  return (['running', 'offline'] as const).flatMap((floor): Smaller[] => {
    const bound = task.bounds.get(partition.number)![floor];
    const most = bound === null ? 0 : slots - bound / MIB;
    if (most < 1) return [];
    const can = (decrypted: boolean) =>
      selectTools(kit, (tool) => tool.floor === floor && canShrink(tool, partition, { decrypted }));
    const plain = can(false);
    const later = decryptable ? without(can(true), plain) : NO_TOOLS;
    return [
      { tools: plain, most, decrypted: false },
      { tools: later, most, decrypted: true },
    ].filter((way) => way.tools !== NO_TOOLS);
  });
}

/** New volumes are at least the donor's bound and used + margin (domain facts 8); others keep their size. */
function copiesOf(
  { task, kit }: { task: Task; kit: Kit },
  partition: Partition,
  slots: number,
  donor: boolean,
  decrypted: boolean,
): Smaller[] {
  const volume = partition.volume!;
  const used = volume.used!;
  if (!donor) {
    const tools = formatters(kit, partition, bytesOf(task.disk, partition));
    return tools === NO_TOOLS ? [] : [{ tools, most: 0, decrypted }];
  }
  const withMargin = roundUp(used + marginOf(volume, used), MIB);
  const most = (floor: Tool['floor']): number => {
    const bound = task.bounds.get(partition.number)![floor] ?? bytesOf(task.disk, partition);
    return Math.max(0, slots - Math.max(bound, withMargin) / MIB);
  };
  const ways = (['running', 'offline'] as const)
    .map((floor) => {
      // The least that it may be made; whether a tool formats what is chosen in the end is the step's own law.
      const able = formatters(kit, partition, (slots - most(floor)) * MIB);
      const tools = both(
        able,
        selectTools(kit, (tool) => tool.floor === floor),
      );
      return { tools, most: most(floor), decrypted };
    })
    .filter((way) => way.tools !== NO_TOOLS);
  const [one, other] = ways;
  return one && other && one.most === other.most ? [{ ...one, tools: either(one.tools, other.tools) }] : ways;
}

/** The tools that can make a new volume for its files with so many bytes. */
const formatters = (kit: Kit, { volume }: Partition, bytes: number): ToolSet =>
  selectTools(kit, (tool) => canFormat(tool, volume!.fileSystem, bytes));

/** The tools that can extend the target: as it is, and once decrypted. */
export const extenders = (problem: SearchProblem, decrypted: boolean): ToolSet =>
  selectTools(problem.kit, (tool) => canExtend(tool, problem.task.target, { decrypted }));
