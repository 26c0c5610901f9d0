import { isEncrypted } from './tools';
import { bytesOf, type Disk, type Partition } from '../disk';
import type { Machine } from '../survey';
import { MIB, roundUp } from '../units';

/**
 * The recovery partition in use on a disk, or null. Where the survey does not say, one of the kind is taken to
 * be in use as long as the machine has no other.
 */
export function findRecoveryInUse(machine: Machine, disk: Disk): Partition | null {
  const environment = machine.recoveryEnvironment;
  if (environment && environment.partition !== null) {
    if (!environment.enabled || (environment.disk ?? disk.number) !== disk.number) return null;
    const named = disk.partitions.find((partition) => partition.number === environment.partition);
    return named?.role === 'recovery' ? named : null;
  }
  const all = machine.disks.flatMap((one) =>
    one.partitions.filter((partition) => partition.role === 'recovery'),
  );
  return all.length === 1 && disk.partitions.includes(all[0]!) ? all[0]! : null;
}

/**
 * The partition on which the recovery environment lives, as far as that is known: recovery, or what starts Windows, or
 * Windows itself (domain facts 6).
 */
export function findEnvironmentHost(machine: Machine, disk: Disk): Partition | null {
  const environment = machine.recoveryEnvironment;
  const named = disk.partitions.find((partition) => partition.number === environment?.partition);
  const here = environment?.enabled === true && (environment.disk ?? disk.number) === disk.number;
  if (here && (named?.role === 'system' || named?.role === 'windows')) return named;
  return findRecoveryInUse(machine, disk);
}

/**
 * The Windows volume that takes the recovery environment's image, and by how many bytes it has too little room for that
 * as found; less than 0: some to spare.
 */
export interface AsideRoom {
  windows: Partition;
  missing: number;
}

/**
 * Whether Windows can set it aside and put it back (domain facts 6): it is the one in use, and its image lies on the
 * Windows volume meanwhile, which must have that room or be extended first. null: it can't be set aside at all.
 */
export function findAsideRoom(machine: Machine, disk: Disk, partition: Partition): AsideRoom | null {
  if (partition.role !== 'recovery' || isEncrypted(partition)) return null;
  if (findRecoveryInUse(machine, disk) !== partition) return null;
  const windows = machine.disks
    .flatMap((one) => one.partitions)
    .find((one) => one.role === 'windows' && one.volume !== null && one.volume.used !== null);
  if (!windows) return null;
  const image = partition.volume?.used ?? bytesOf(disk, partition);
  return { windows, missing: image - (windows.volume!.size - windows.volume!.used!) };
}

/** The recovery partition in use where it is the next partition behind Windows, in any layout; else null. */
export function recoveryBehind(
  machine: Machine,
  disk: Disk,
  partitions: readonly Partition[],
): Partition | null {
  const inUse = findRecoveryInUse(machine, disk);
  const real = partitions.filter((partition) => partition.kind !== 'extended');
  const windows = real.findIndex((partition) => partition.role === 'windows');
  const next = windows < 0 ? undefined : real[windows + 1];
  return next && inUse && next.number === inUse.number ? next : null;
}

/** Free space that Windows wants inside a recovery partition (domain facts 6 and 8). */
const RECOVERY_FREE = 250 * MIB;

/** The smallest size in bytes at which a recovery partition can be put back, a whole number of MiB. */
export const computeLeastRecovery = (used: number): number => roundUp(used + RECOVERY_FREE, MIB);
