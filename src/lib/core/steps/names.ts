import type { Step } from './step';
import { plainName, nameInSentence, type Disk, type Partition } from '../disk';
import { formatMib, formatSize } from '../units';

/** Names in a row: "A", "A and B", "A, B and C". */
export const joinNames = (names: readonly string[]): string =>
  names.length < 2 ? (names[0] ?? '') : `${names.slice(0, -1).join(', ')} and ${names.at(-1)}`;

/** A partition by its number as found. */
export const findPartition = (disk: Disk, number: number | null): Partition | undefined =>
  disk.partitions.find((partition) => partition.number === number);

/** Name of a step's partition; one that the route makes has that of the one whose files it takes. */
export function stepPartition(disk: Disk, steps: readonly Step[], step: Step): string {
  const found = findPartition(disk, step.partition);
  if (found) return nameInSentence(found);
  const source = sourceOf(disk, steps, step.partition);
  return source ? `the new ${plainName(source)}` : nameMade(steps, step.partition);
}

/** Name of a volume that a route makes and nothing is copied to. */
export function nameMade(steps: readonly Step[], number: number | null): string {
  const made = steps.find((one) => one.verb === 'create' && one.partition === number);
  const cloned = steps.find((one) => one.verb === 'clone' && one.partition === number);
  if (cloned?.verb === 'clone') return cloned.source.name;
  const forFirmware = (one: Step) => one.verb === 'convert-table' && one.efi.partition === number;
  if (steps.some(forFirmware)) return 'EFI';
  if (made?.verb !== 'create') return `partition ${number}`;
  return made.create.label ? `the new volume ${made.create.label}` : 'the new volume';
}

/** The partition as found whose files come to lie in one that the route makes. */
export function sourceOf(disk: Disk, steps: readonly Step[], made: number | null): Partition | undefined {
  for (const step of steps) {
    if (step.verb !== 'copy') continue;
    if ('fromOutside' in step) {
      if (step.partition === made) return findPartition(disk, step.of);
    } else if ('partition' in step.into && step.into.partition === made) {
      return findPartition(disk, step.partition);
    }
  }
  return undefined;
}

/**
 * Where the files of a partition were copied to in these steps: a new volume, an outside place, a folder of another
 * volume; undefined: they were not.
 */
export function copyOf(
  steps: readonly Step[],
  partition: number,
): { partition: number } | { outside: string } | { folder: string } | undefined {
  for (const step of steps) {
    if (step.partition !== partition || 'fromOutside' in step) continue;
    if (step.verb === 'copy') return step.into;
    if (step.verb === 'join') return { folder: step.folder };
  }
  return undefined;
}

/** A size for reading and for typing: "81.0 GiB (82,944 MiB)". */
export const formatExactSize = (bytes: number, sectorSize: number): string =>
  `${formatSize(bytes)} (${formatMib(bytes, sectorSize)})`;

/** A name at the beginning of a sentence. */
export const capitalise = (name: string): string => name.charAt(0).toUpperCase() + name.slice(1);

/** Advice wherever something else is seen than what must be. */
export const SURVEY_AGAIN =
  'Otherwise stop here: tick the step as failed, and survey the disk again before anything else.';
