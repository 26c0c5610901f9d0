import { nameInSentence, computeUsableAreas, type Disk } from '../disk';
import { type Outcome, refusal, success } from '../problem';
import type { Task } from '../planning';

/** Partitions that a table holds by default (UEFI 2.10, 5.3.1); a new one is not made with more. */
const MOST = 128;

/**
 * The task of bringing everything of a disk to another one of the machine, whose content is gone then. Problem codes:
 * `no-disk`, `same-disk`, `not-empty`, `other-sectors`, `too-many`, `extended`, `blocked` (something forbids any work
 * on the old disk).
 */
export function planOntoDisk(task: Task, number: number): Outcome<Task> {
  const { machine, disk: from } = task;
  const found = machine.disks.find((one) => one.number === number);
  if (!found) return refusal('no-disk', `The survey has no disk ${number}.`);
  if (number === from.number)
    return refusal('same-disk', `Disk ${number} is the one that everything comes from.`);
  // A new table may bring a reserved partition along by itself.
  const held = found.partitions.find(({ role }) => role !== 'reserved');
  if (held)
    return refusal(
      'not-empty',
      `Disk ${number} is not empty: ${nameInSentence(held)} is on it, and would be lost.`,
    );
  if (found.sectorSize !== from.sectorSize)
    return refusal(
      'other-sectors',
      `Disk ${number} has sectors of ${found.sectorSize} bytes, the old disk of ${from.sectorSize}: nothing can be cloned to it.`,
    );
  if (from.partitions.length > MOST)
    return refusal(
      'too-many',
      `The old disk has ${from.partitions.length} partitions; a new table holds ${MOST}.`,
    );
  if (from.partitions.some(({ kind }) => kind !== 'primary'))
    return refusal('extended', 'The old disk has an extended partition, which is not cloned.');
  const [block] = task.blocks;
  if (block) return refusal('blocked', `${block.title}: that comes first.`);
  const { table } = from;
  const { usable } = computeUsableAreas({ table, sectorSize: found.sectorSize, sectors: found.sectors });
  const disk: Disk = {
    ...found,
    table,
    id: '',
    dynamic: false,
    protectiveRecord: null,
    usable,
    usableRelocated: usable,
    partitions: [],
  };
  return success({
    ...task,
    from,
    disk,
    donors: new Set(),
    gives: new Map(),
    mayDelete: new Set(),
    fixed: new Set(),
    mayJoin: new Set(),
    bounds: new Map(),
    recoveryBehind: null,
  });
}

/** The same machine with a disk beside it that is still to be bought; its number is the next one. */
export function withBought(task: Task, sectors: number): { task: Task; number: number } {
  const { machine, disk } = task;
  const number = Math.max(...machine.disks.map((one) => one.number)) + 1;
  const bought: Disk = {
    ...disk,
    number,
    model: 'new disk',
    serial: '',
    id: '',
    sectors,
    dynamic: false,
    partitions: [],
  };
  return { task: { ...task, machine: { ...machine, disks: [...machine.disks, bought] } }, number };
}
