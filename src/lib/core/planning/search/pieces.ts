import { alignment, bytesOf, endOf, type Disk, type Extent, type Partition } from '../../disk';
import { MIB, roundUp } from '../../units';
import { bendsOfUse, decryptBytes, moveBytes, usedBeyond } from '../costs';
import { donorBound, margin } from '../floors';
import type { Task } from '../request';
import { canAside } from '../recovery';
import type { Corner } from '../shares';
import {
  canCopy,
  canDecrypt,
  canExtend,
  canMove,
  canShrink,
  isEncrypted,
  movesAtRestart,
  type Kit,
  type Tool,
} from '../tools';

/** A set of tools of a kit: bit i stands for its i-th tool. */
export type ToolSet = number;

/** How far something may be made smaller, and by which tools. */
export interface Smaller {
  tools: ToolSet;
  /** Slots that it can give up at the most; at least 1. */
  most: number;
  /** It has to be decrypted first. */
  decrypted: boolean;
}

/**
 * What the search pushes about: a partition, or one end of the extended partition. Places and sizes in sectors
 * as found; everything that is chosen is counted in slots of 1 MiB.
 */
export interface Piece {
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
  /** Of those, the ones that wait for a restart. */
  atRestart: ToolSet;
  /** Bytes of a decryption; -1 where it is not encrypted or can't be decrypted. */
  decryptBytes: number;
  /** Ways to shrink it where it is. */
  shrinks: Smaller[];
  /** Ways to make it anew, smaller perhaps, when its files are copied; `most` may be 0 here. */
  copies: Smaller[];
  copyBytes: number;
  /** Bytes of setting it aside, and of putting it back; -1: not to be set aside. */
  asideBytes: number;
  /** Slots by which it may be put back smaller. */
  asideMost: number;
  deletable: boolean;
  /** Bytes copied when it gives up so many slots. */
  shrinkCost: (slots: number) => number;
  /** Corners of that cost, for bounds. */
  corners: Corner[];
  grain: number;
}

/** The disk and the question, ready for the search. */
export interface Board {
  task: Task;
  disk: Disk;
  kit: Kit;
  /** Sectors in a slot. */
  slot: number;
  pieces: Piece[];
  /** Ids in the order of their position. */
  order: number[];
  target: number;
  /** First sector of the area, and the one behind its end. */
  area: { first: number; end: number };
  outside: readonly { name: string; bytes: number }[];
  /** How many partitions the table can still take. */
  freeEntries: number;
  /** The recovery partition that stood right behind Windows and should do so again; -1: none. */
  recovery: number;
  windows: number;
}

const setOf = (kit: Kit, can: (tool: Tool) => boolean): ToolSet =>
  kit.tools.reduce((set, tool, i) => (can(tool) ? set | (1 << i) : set), 0);

export const allTools = (kit: Kit): ToolSet => (1 << kit.tools.length) - 1;

/** The board of `window` partitions of the disk within an area. */
export function boardOf(task: Task, kit: Kit, window: readonly Partition[], area: Board['area']): Board {
  const { disk } = task;
  const slot = alignment(disk);
  const pieces: Piece[] = [];
  const ends: { id: number; at: number; rank: number }[] = [];
  const drives = window.filter((partition) => partition.kind === 'logical');
  const add = (partition: Partition, kind: Piece['kind'], extent: Extent, rank: number): void => {
    const id = pieces.length;
    pieces.push(pieceOf(task, kit, slot, id, partition, kind, extent));
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
  const idOf = (partition: Partition | undefined): number =>
    pieces.find((piece) => piece.partition === partition)?.id ?? -1;
  const primaries = disk.partitions.filter((partition) => partition.kind !== 'logical').length;
  const windows = disk.partitions.findIndex((partition) => partition.role === 'windows');
  return {
    task,
    disk,
    kit,
    slot,
    pieces,
    order,
    target: idOf(task.target),
    area,
    outside: task.outside,
    freeEntries: (disk.table === 'mbr' ? 4 : 128) - primaries,
    recovery: idOf(task.recoveryBehind ?? undefined),
    windows: idOf(disk.partitions[windows]),
  };
}

function pieceOf(
  task: Task,
  kit: Kit,
  slot: number,
  id: number,
  partition: Partition,
  kind: Piece['kind'],
  { first, sectors }: Extent,
): Piece {
  const { disk } = task;
  const slots = Math.ceil(sectors / slot);
  const fixed = task.fixed.has(partition.number);
  const frame = kind === 'open' || kind === 'close';
  const piece: Piece = {
    id,
    partition,
    kind,
    first,
    sectors,
    slots,
    moveBytes: 0,
    movers: 0,
    moversOnceDecrypted: 0,
    atRestart: 0,
    decryptBytes: -1,
    shrinks: [],
    copies: [],
    copyBytes: 0,
    asideBytes: -1,
    asideMost: 0,
    deletable: task.mayDelete.has(partition.number) && !frame && partition.kind !== 'extended' && !fixed,
    shrinkCost: () => 0,
    corners: [{ slots: 0, bytes: 0 }],
    grain: 1,
  };
  if (fixed) return piece;
  if (frame) {
    piece.movers = setOf(kit, (tool) => tool.resizesExtended);
    return piece;
  }
  piece.moveBytes = moveBytes(disk, partition);
  piece.movers = setOf(kit, (tool) => canMove(tool, partition));
  const windowsHere = kit.tools.some((tool) => tool.id === 'windows');
  if (isEncrypted(partition) && canDecrypt(partition) && windowsHere) {
    piece.decryptBytes = decryptBytes(partition.volume!);
    piece.moversOnceDecrypted = setOf(kit, (tool) => canMove(tool, partition, { decrypted: true }));
  }
  piece.atRestart = setOf(kit, (tool) => movesAtRestart(tool, partition));
  if (partition === task.target) return piece;
  const { volume } = partition;
  const used = volume?.used ?? null;
  const donor = task.donors.has(partition.number) && !task.gives.has(partition.number);
  if (volume && used !== null && donor) {
    piece.shrinks = shrinksOf(task, kit, partition, slots, piece.decryptBytes >= 0);
    piece.shrinkCost = (given) => (given === 0 ? 0 : usedBeyond(volume, (slots - given) * MIB));
    const most = Math.max(0, ...piece.shrinks.map((way) => way.most));
    if (most > 0) {
      const bends = bendsOfUse(volume, (slots - most) * MIB);
      const corners = bends.map(({ x, bytes }) => ({ slots: slots - x / MIB, bytes }));
      piece.corners.push(...(corners.length > 0 ? corners : [{ slots: most, bytes: 0 }]));
    }
    piece.grain = Math.max(1, volume.clusterSize);
  }
  const decryptable = piece.decryptBytes >= 0;
  if (canCopy(partition, { decrypted: decryptable })) {
    piece.copyBytes = used!;
    piece.copies = copiesOf(task, kit, partition, slots, donor, decryptable);
  }
  if (windowsHere && canAside(task.machine, disk, partition)) {
    piece.asideBytes = used ?? bytesOf(disk, partition);
    if (task.donors.has(partition.number) && used !== null) {
      const least = roundUp(used + RECOVERY_FREE, MIB) / MIB;
      piece.asideMost = Math.max(0, slots - least);
    }
  }
  return piece;
}

/** Free space that Windows wants inside a recovery partition (domain facts 6 and 8). */
const RECOVERY_FREE = 250 * MIB;

function shrinksOf(
  task: Task,
  kit: Kit,
  partition: Partition,
  slots: number,
  decryptable: boolean,
): Smaller[] {
  return (['running', 'offline'] as const).flatMap((floor): Smaller[] => {
    const bound = donorBound(task.disk, partition, task.keepFree, floor);
    const most = bound === null ? 0 : slots - bound / MIB;
    if (most < 1) return [];
    const can = (decrypted: boolean) =>
      setOf(kit, (tool) => tool.floor === floor && canShrink(tool, partition, { decrypted }));
    const plain = can(false);
    const later = decryptable ? can(true) & ~plain : 0;
    return [
      { tools: plain, most, decrypted: false },
      { tools: later, most, decrypted: true },
    ].filter((way) => way.tools !== 0);
  });
}

/** New volumes are at least the donor's bound and used + margin (domain facts 8); others keep their size. */
function copiesOf(
  task: Task,
  kit: Kit,
  partition: Partition,
  slots: number,
  donor: boolean,
  decrypted: boolean,
): Smaller[] {
  const volume = partition.volume!;
  const used = volume.used!;
  if (!donor) return [{ tools: allTools(kit), most: 0, decrypted }];
  const withMargin = roundUp(used + margin(volume, used), MIB);
  const most = (floor: Tool['floor']): number => {
    const bound = donorBound(task.disk, partition, task.keepFree, floor) ?? bytesOf(task.disk, partition);
    return Math.max(0, slots - Math.max(bound, withMargin) / MIB);
  };
  const ways = (['running', 'offline'] as const)
    .map((floor) => ({ tools: setOf(kit, (tool) => tool.floor === floor), most: most(floor), decrypted }))
    .filter((way) => way.tools !== 0);
  const [one, other] = ways;
  return one && other && one.most === other.most ? [{ ...one, tools: one.tools | other.tools }] : ways;
}

/** The tools that can extend the target: as it is, and once decrypted. */
export const extenders = (board: Board, decrypted: boolean): ToolSet =>
  setOf(board.kit, (tool) => canExtend(tool, board.task.target, { decrypted }));
