import { canMove, canShrink, isEncrypted, moveBytes, type Kit, countUsedBeyond } from '../tools';
import type { Task } from './task';
import { bytesOf, endOf, type Extent, type Partition } from '../disk';

/** A partition behind the target that can be pushed to the right. */
export interface Link {
  partition: Partition;
  /** Sectors it has before any choice: as found, less what the technician holds it to give. */
  sectors: number;
  /** The least it may have, in sectors; equal to `sectors` where it gives nothing by choice. */
  least: number;
  moveBytes: number;
  /** Bytes copied by shrinking it to `bytes`. */
  shrinkBytes: (bytes: number) => number;
}

/** End of the chain: that of the usable area, or a partition that can't be pushed, and why. */
export type Stop = { kind: 'end' } | { kind: 'held'; partition: Partition; reason: HoldReason };
export type HoldReason = 'fixed' | 'encrypted' | 'extended' | 'no-mover';

/** The partitions behind the target, up to the first that can't be moved, and the sector where that begins. */
export interface Chain {
  links: Link[];
  /** First sector that can't be had. */
  limit: number;
  stop: Stop;
}

/** Partitions that can be pushed aside one by one with the movers of a kit. */
export function findChain(task: Task, kit: Kit, usable: Extent): Chain {
  const { disk, target } = task;
  const behind = disk.partitions.filter((p) => p.first >= endOf(target) && p.kind !== 'logical');
  const links: Link[] = [];
  for (const partition of behind) {
    const reason = holdReason(task, kit, partition);
    if (reason) return { links, limit: partition.first, stop: { kind: 'held', partition, reason } };
    links.push(linkOf(task, kit, partition));
  }
  return { links, limit: endOf(usable), stop: { kind: 'end' } };
}

function holdReason(task: Task, kit: Kit, partition: Partition): HoldReason | null {
  if (task.fixed.has(partition.number)) return 'fixed';
  if (partition.kind === 'extended') return 'extended';
  if (kit.tools.some((tool) => canMove(tool, partition))) return null;
  return isEncrypted(partition) ? 'encrypted' : 'no-mover';
}

function linkOf(task: Task, kit: Kit, partition: Partition): Link {
  const { disk } = task;
  const held = task.gives.get(partition.number);
  const found = partition.sectors;
  const sectors = found - (held ?? 0) / disk.sectorSize;
  const least = held === undefined ? leastSectors(task, kit, partition) : sectors;
  const { volume } = partition;
  return {
    partition,
    sectors,
    least,
    moveBytes: moveBytes(disk, partition),
    shrinkBytes: (bytes) => (volume && bytes < bytesOf(disk, partition) ? countUsedBeyond(volume, bytes) : 0),
  };
}

function leastSectors(task: Task, kit: Kit, partition: Partition): number {
  const { disk } = task;
  if (!task.donors.has(partition.number) || task.fixed.has(partition.number)) return partition.sectors;
  const bounds = kit.tools
    .filter((tool) => canShrink(tool, partition))
    .map((tool) => task.bounds.get(partition.number)![tool.floor]);
  const known = bounds.filter((bound): bound is number => bound !== null);
  return known.length === 0 ? partition.sectors : Math.min(...known) / disk.sectorSize;
}
