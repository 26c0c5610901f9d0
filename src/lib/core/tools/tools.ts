import { Type, type Static } from 'typebox';
import { closed } from '../shapes';
import { NAMED_FILE_SYSTEMS, ROLES, type FileSystem, type Partition, type PartitionRole } from '../disk';

const FileSystems = Type.Array(Type.Enum(NAMED_FILE_SYSTEMS), {
  maxItems: NAMED_FILE_SYSTEMS.length,
  uniqueItems: true,
});
const Roles = Type.Array(Type.Enum(ROLES), { maxItems: ROLES.length, uniqueItems: true });

/**
 * A tool is a set of abilities: for each verb, what it serves (domain facts 7). Three ship; workshops define
 * their own. Every tool can delete, create and format, set type and attributes, relocate the table and copy a
 * data volume's files; only Windows sets the recovery partition aside, puts it back and decrypts.
 */
export const ToolShape = closed({
  id: Type.String({ pattern: '^[a-z0-9][a-z0-9-]{0,47}$' }),
  name: Type.String({ minLength: 1, maxLength: 60, pattern: '\\S' }),
  /** Whether its own lists count disks from 0 or from 1. */
  countsFrom: Type.Unsafe<0 | 1>({ enum: [0, 1] }),
  /** Words of the work sheet on it. */
  notes: Type.String({ maxLength: 1000 }),
  extends: FileSystems,
  shrinks: FileSystems,
  /** The size down to which it shrinks: that of a running system, or that of one at rest. */
  floor: Type.Enum(['running', 'offline']),
  /** Roles that it moves, whole. */
  moves: Roles,
  /** Roles that it moves at a restart only; each unbroken run of such steps costs one. */
  movesAtRestart: Roles,
  /** Restarts that each unbroken run of its steps costs, whatever they are. */
  restartsPerRun: Type.Integer({ minimum: 0, maximum: 5 }),
  touchesEncrypted: Type.Boolean(),
  /** Whether it changes the bounds of an extended partition. */
  resizesExtended: Type.Boolean(),
});
export type Tool = Static<typeof ToolShape>;

const EVERYTHING: PartitionRole[] = [...ROLES];

export const WINDOWS: Tool = {
  id: 'windows',
  name: 'Windows',
  countsFrom: 0,
  notes: '',
  extends: ['ntfs', 'refs'],
  shrinks: ['ntfs'],
  floor: 'running',
  moves: [],
  movesAtRestart: [],
  restartsPerRun: 0,
  touchesEncrypted: true,
  resizesExtended: false,
};

export const LIVE_MOVER: Tool = {
  id: 'live-mover',
  name: 'Live mover',
  countsFrom: 1,
  notes: 'Runs under Windows; what Windows itself needs is moved at a restart.',
  extends: ['ntfs', 'fat32', 'fat16'],
  shrinks: ['ntfs', 'fat32', 'fat16'],
  floor: 'running',
  moves: EVERYTHING,
  movesAtRestart: ['windows', 'efi', 'system'],
  restartsPerRun: 0,
  touchesEncrypted: false,
  resizesExtended: true,
};

export const OFFLINE_MOVER: Tool = {
  id: 'offline-mover',
  name: 'Offline mover',
  countsFrom: 1,
  notes: 'Started from a medium of its own, while Windows is shut down fully.',
  extends: ['ntfs', 'fat32', 'fat16'],
  shrinks: ['ntfs', 'fat32', 'fat16'],
  floor: 'offline',
  moves: EVERYTHING,
  movesAtRestart: [],
  restartsPerRun: 2,
  touchesEncrypted: false,
  resizesExtended: true,
};

export const SHIPPED_TOOLS: readonly Tool[] = [WINDOWS, LIVE_MOVER, OFFLINE_MOVER];

/** The tools at hand. Windows is in every kit. */
export interface Kit {
  id: string;
  name: string;
  tools: readonly Tool[];
}

export const SHIPPED_KITS: readonly Kit[] = [
  { id: 'windows-only', name: 'Windows only', tools: [WINDOWS] },
  { id: 'live-mover', name: 'Live mover', tools: [WINDOWS, LIVE_MOVER] },
  { id: 'offline-mover', name: 'Offline mover', tools: [WINDOWS, OFFLINE_MOVER] },
];

/** An encrypted volume, in any state but off; suspended is still encrypted (domain facts 5). */
export const isEncrypted = ({ volume }: Partition): boolean =>
  volume !== null && (volume.fileSystem === 'encrypted' || volume.encryption.state !== 'off');

/** Encryption or decryption is under way: nothing changes its size before that has ended (diagnosis says the same). */
export const isConverting = ({ volume }: Partition): boolean =>
  volume !== null && (volume.encryption.state === 'encrypting' || volume.encryption.state === 'decrypting');

/** Locked as surveyed: nothing is known of what it holds, so nothing touches it. */
export const isLocked = ({ volume }: Partition): boolean => volume?.fileSystem === 'encrypted';

/** History of a partition by the time a tool is to touch it. */
export interface Touched {
  decrypted?: boolean;
}

const includes = (systems: readonly FileSystem[], one: FileSystem): boolean => systems.includes(one);

/** Nothing touches what is locked, has only a backup of its boot sector, or is being converted. */
function mayTouch(tool: Tool, partition: Partition, { decrypted = false }: Touched): boolean {
  if (partition.volume?.bootSectorDamaged) return false;
  if (!isEncrypted(partition)) return true;
  return !isLocked(partition) && (decrypted || (tool.touchesEncrypted && !isConverting(partition)));
}

export const canExtend = (tool: Tool, partition: Partition, touched: Touched = {}): boolean =>
  partition.kind === 'extended'
    ? tool.resizesExtended
    : partition.volume !== null &&
      includes(tool.extends, partition.volume.fileSystem) &&
      mayTouch(tool, partition, touched);

export const canShrink = (tool: Tool, partition: Partition, touched: Touched = {}): boolean =>
  partition.kind === 'extended'
    ? tool.resizesExtended
    : partition.volume !== null &&
      includes(tool.shrinks, partition.volume.fileSystem) &&
      mayTouch(tool, partition, touched);

export const canMove = (tool: Tool, partition: Partition, touched: Touched = {}): boolean =>
  partition.kind !== 'extended' && tool.moves.includes(partition.role) && mayTouch(tool, partition, touched);

/** Whether moving it with this tool waits for a restart. */
export const movesAtRestart = (tool: Tool, { role }: Pick<Partition, 'role'>): boolean =>
  tool.movesAtRestart.includes(role);

/** File systems that are read file by file: what is in use is known, and files can be copied (domain facts 8). */
export const READABLE: readonly FileSystem[] = ['ntfs', 'fat32', 'fat16', 'exfat'];

/** A data volume whose files can be copied to another volume and back, by any tool. */
export const canCopy = (partition: Partition, touched: Touched = {}): boolean =>
  partition.role === 'data' &&
  partition.kind !== 'extended' &&
  partition.volume !== null &&
  partition.volume.used !== null &&
  READABLE.includes(partition.volume.fileSystem) &&
  !partition.volume.bootSectorDamaged &&
  (!isEncrypted(partition) || touched.decrypted === true);

/** Windows decrypts what it can read: a locked volume has to be unlocked first. */
export const canDecrypt = (partition: Partition): boolean => isEncrypted(partition) && !isLocked(partition);
