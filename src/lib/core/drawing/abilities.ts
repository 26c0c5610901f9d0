import { bytesOf, sentenceName, type Disk, type Partition } from '../disk';
import {
  canCopy,
  canDecrypt,
  canExtend,
  canMove,
  canShrink,
  donorBound,
  isEncrypted,
  isLocked,
  KEEP_NOTHING,
  type Kit,
  type Tool,
} from '../planning';
import { formatSize } from '../units';

/** A set of tools of a kit, as bits; empty with the reason why none can. */
export interface Able {
  tools: number;
  reason: string;
}

export const able = (tools: number, reason: string): Able => ({ tools, reason: tools === 0 ? reason : '' });

const setOf = (kit: Kit, can: (tool: Tool) => boolean): number =>
  kit.tools.reduce((set, tool, i) => (can(tool) ? set | (1 << i) : set), 0);

export const everyTool = (kit: Kit): number => setOf(kit, () => true);
export const windowsOf = (kit: Kit): number => setOf(kit, (tool) => tool.id === 'windows');

/** Why no tool of the kit does something to a partition: its encryption, else the kit. */
function noTool(kit: Kit, partition: Partition, decrypted: boolean, does: string): string {
  const name = sentenceName(partition);
  if (isLocked(partition)) return `${name} is locked. Unlock it first, and survey the disk again.`;
  if (isEncrypted(partition) && !decrypted) {
    return `${name} is encrypted, and no tool of the kit “${kit.name}” ${does} it like that. Decrypt it first.`;
  }
  return `No tool of the kit “${kit.name}” ${does} ${name}.`;
}

export function movers(kit: Kit, partition: Partition, decrypted: boolean): Able {
  if (partition.kind === 'extended')
    return able(0, 'An extended partition is a frame: its two ends move, not the whole.');
  return able(
    setOf(kit, (tool) => canMove(tool, partition, { decrypted })),
    noTool(kit, partition, decrypted, 'moves'),
  );
}

export const extenders = (kit: Kit, partition: Partition, decrypted: boolean): Able =>
  able(
    setOf(kit, (tool) => canExtend(tool, partition, { decrypted })),
    noTool(kit, partition, decrypted, 'extends'),
  );

/** The smallest size in bytes to which a tool brings a partition: its floor, rounded up to a MiB; null: unknown. */
export const floorFor = (disk: Disk, partition: Partition, tool: Tool): number | null =>
  donorBound(disk, partition, KEEP_NOTHING, tool.floor);

/** The tools that shrink a partition to a size in bytes. */
export function shrinkers(
  kit: Kit,
  disk: Disk,
  partition: Partition,
  decrypted: boolean,
  size: number,
): Able {
  const can = setOf(kit, (tool) => canShrink(tool, partition, { decrypted }));
  if (can === 0) return able(0, noTool(kit, partition, decrypted, 'shrinks'));
  if (partition.kind === 'extended') return able(can, '');
  const floors = kit.tools.map((tool, i) => (can & (1 << i) ? floorFor(disk, partition, tool) : null));
  const fit = floors.reduce<number>(
    (set, floor, i) => (floor !== null && floor <= size ? set | (1 << i) : set),
    0,
  );
  const known = floors.filter((floor): floor is number => floor !== null);
  const name = sentenceName(partition);
  if (known.length === 0) return able(0, `How much ${name} holds is not known, so nothing may shrink it.`);
  const least = Math.min(...known);
  const tool = kit.tools[floors.indexOf(least)]!;
  const why =
    least >= bytesOf(disk, partition)
      ? `${name} has nothing to spare: ${tool.name} brings it no further down than it is.`
      : `${tool.name} brings ${name} down to ${formatSize(least)} at the least.`;
  return able(fit, why);
}

/** Copying the files of a data volume. */
export function copiers(kit: Kit, partition: Partition, decrypted: boolean): Able {
  const name = sentenceName(partition);
  if (canCopy(partition, { decrypted })) return able(everyTool(kit), '');
  if (partition.role !== 'data' || partition.kind === 'extended') {
    return able(0, `${name} is no data volume: what it holds can’t be copied file by file.`);
  }
  if (isEncrypted(partition)) return able(0, noTool(kit, partition, decrypted, 'copies'));
  return able(0, `The files of ${name} can’t be read.`);
}

export function decrypters(kit: Kit, partition: Partition, decrypted: boolean): Able {
  const name = sentenceName(partition);
  if (decrypted || !isEncrypted(partition)) return able(0, `${name} is not encrypted.`);
  return able(
    canDecrypt(partition) ? windowsOf(kit) : 0,
    `${name} is locked. Unlock it first, and survey the disk again.`,
  );
}
