import type { FileSystem, Partition, Role } from '../disk';

/** The kits that the product knows by name (domain facts 7). */
export const KITS = ['windows-only', 'live-mover', 'offline-mover'] as const;
export type Kit = (typeof KITS)[number];

/** Kits for which routes are computed so far; the others answer with a finding. */
export const OFFERED_KITS: readonly Kit[] = ['offline-mover'];

export type ToolId = 'windows' | 'offline-mover';

/** A set of abilities: what a tool can do to which volumes (domain facts 7). */
export interface Tool {
  id: ToolId;
  name: string;
  extends: readonly FileSystem[];
  shrinks: readonly FileSystem[];
  moves: readonly Role[];
  touchesEncrypted: boolean;
  /** Restarts that each unbroken run of its steps costs. */
  restartsPerRun: number;
}

export const WINDOWS: Tool = {
  id: 'windows',
  name: 'Windows',
  extends: ['ntfs', 'refs'],
  shrinks: ['ntfs'],
  moves: [],
  touchesEncrypted: true,
  restartsPerRun: 0,
};

export const OFFLINE_MOVER: Tool = {
  id: 'offline-mover',
  name: 'Offline mover',
  extends: ['ntfs', 'fat32'],
  shrinks: ['ntfs', 'fat32'],
  moves: ['windows', 'data', 'recovery', 'efi', 'reserved', 'system', 'vendor', 'unknown'],
  touchesEncrypted: false,
  restartsPerRun: 2,
};

/** An encrypted volume, in any state but off; suspended is still encrypted (domain facts 5). */
export const isEncrypted = (partition: Partition): boolean =>
  partition.volume !== null &&
  (partition.volume.fileSystem === 'encrypted' || partition.volume.encryption.state !== 'off');

const mayTouch = (tool: Tool, partition: Partition): boolean =>
  tool.touchesEncrypted || !isEncrypted(partition);

export const canExtend = (tool: Tool, partition: Partition): boolean =>
  partition.volume !== null &&
  tool.extends.includes(partition.volume.fileSystem) &&
  mayTouch(tool, partition);

export const canShrink = (tool: Tool, partition: Partition): boolean =>
  partition.volume !== null &&
  tool.shrinks.includes(partition.volume.fileSystem) &&
  mayTouch(tool, partition);

export const canMove = (tool: Tool, partition: Partition): boolean =>
  partition.kind === 'primary' && tool.moves.includes(partition.role) && mayTouch(tool, partition);
