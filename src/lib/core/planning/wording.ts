import { bytesOf, plainName, sentenceName, type Disk, type Partition } from '../disk';
import { formatMib, formatSize } from '../units';
import type { Task } from './request';
import type { Step } from './steps';

/** Names in a row: "A", "A and B", "A, B and C". */
export const inARow = (names: readonly string[]): string =>
  names.length < 2 ? (names[0] ?? '') : `${names.slice(0, -1).join(', ')} and ${names.at(-1)}`;

const partitionOf = (disk: Disk, number: number | null): Partition | undefined =>
  disk.partitions.find((partition) => partition.number === number);

/** How a step's partition is called; one that the route makes is called after the one whose files it takes. */
export function stepPartition(disk: Disk, steps: readonly Step[], step: Step): string {
  const found = partitionOf(disk, step.partition);
  if (found) return sentenceName(found);
  const source = sourceOf(disk, steps, step.partition);
  return source ? `the new ${plainName(source)}` : `partition ${step.partition}`;
}

/** The partition as found whose files come to lie in one that the route makes. */
export function sourceOf(disk: Disk, steps: readonly Step[], made: number | null): Partition | undefined {
  for (const step of steps) {
    if (step.verb !== 'copy') continue;
    if (step.into === undefined) {
      if (step.partition === made) return partitionOf(disk, step.of);
    } else if ('partition' in step.into && step.into.partition === made)
      return partitionOf(disk, step.partition);
  }
  return undefined;
}

/** Why a step is there, in a sentence that the machine's owner would understand. */
export function whyOf(task: Task, steps: readonly Step[], step: Step): string {
  const { disk } = task;
  const target = sentenceName(task.target);
  const name = stepPartition(disk, steps, step);
  switch (step.verb) {
    case 'relocate-table':
      return 'The disk was enlarged after its partition table was written; the backup table moves to the true end, so that the new room counts.';
    case 'enlarge-disk':
      return `The virtual disk itself becomes larger, to exactly ${formatMib(step.diskSectors * disk.sectorSize)} in all. Its new room appears at the end.`;
    case 'decrypt':
      return `${name} is encrypted, and no tool of this kit moves or copies it like that. It is decrypted fully first.`;
    case 'shrink':
      if (partitionOf(disk, step.partition)?.kind === 'extended')
        return 'The extended partition ends closer around its drives, so that the room beside it counts outside.';
      return `${name} has room to spare: this frees ${formatSize(bytesOf(disk, step.from) - bytesOf(disk, step.to))} at its end.`;
    case 'extend':
      if (step.partition !== task.target.number)
        return 'The extended partition reaches further, so that the room beside it counts for its drives.';
      return `${target} takes the room that now lies directly behind it.`;
    case 'move':
      return whyMove(task, steps, step, name);
    case 'delete': {
      const copied = steps.some((one) => one.verb === 'copy' && one.partition === step.partition);
      return copied
        ? `The files of ${name} lie safe in another place by now, so the old one can go.`
        : `${name} is given up, with the owner’s word: its room is needed.`;
    }
    case 'create':
      return `A new volume is made to take the files of ${sourceName(disk, steps, step.partition)}.`;
    case 'copy':
      if (step.into === undefined) return `The files come back from ${step.fromOutside}.`;
      return 'outside' in step.into
        ? `The files of ${name} go to ${step.into.outside} meanwhile.`
        : `The files of ${name} go to their new place; it takes over the letter.`;
    case 'set-aside':
      return `${name} stands in the way. Windows keeps what it holds meanwhile, and it is made anew afterwards.`;
    case 'put-back':
      return `${name} is made anew with its type and attributes, and Windows puts back what it held.`;
  }
}

const sourceName = (disk: Disk, steps: readonly Step[], made: number): string => {
  const source = sourceOf(disk, steps, made);
  return source ? sentenceName(source) : 'what was copied';
};

function whyMove(
  task: Task,
  steps: readonly Step[],
  step: Extract<Step, { verb: 'move' }>,
  name: string,
): string {
  const target = sentenceName(task.target);
  const side = step.to.first > step.from.first ? 'right' : 'left';
  const later = steps.slice(steps.indexOf(step) + 1);
  const leap = later.some((one) => one.verb === 'move' && one.partition === step.partition);
  if (leap)
    return `${name} first goes to free room, out of its own way: then no moment of its move can lose anything.`;
  if (step.partition === task.target.number)
    return `${target} itself moves to the ${side}, whole, to where there is room behind it.`;
  const clear =
    step.exposedBytes === 0 && step.bytesCopied > 0
      ? ' It goes clear of its old place, so a power cut loses nothing.'
      : '';
  return `${name} makes room: it moves to the ${side}, whole.${clear}`;
}

/** A short title made from what the route does. */
export function titleOf(task: Task, steps: readonly Step[]): string {
  const { disk, target } = task;
  const named = (verb: Step['verb'], of: (step: Step) => boolean = () => true): string[] => {
    const numbers = steps.filter((step) => step.verb === verb && of(step)).map((step) => step.partition);
    return [...new Set(numbers)].flatMap((number) => {
      const partition = partitionOf(disk, number);
      return partition && partition !== target ? [plainName(partition)] : [];
    });
  };
  const many = (names: string[]): string => (names.length > 2 ? `${names.length} partitions` : inARow(names));
  const copied = named('copy', (step) => step.verb === 'copy' && step.into !== undefined);
  const gone = named(
    'delete',
    (step) => !steps.some((one) => one.verb === 'copy' && one.partition === step.partition),
  );
  const leaping = named('move', (step) => countOf(steps, 'move', step.partition) > 1);
  const moved = named('move').filter((name) => !leaping.includes(name));
  const parts = [
    part('decrypt', named('decrypt')),
    steps.some((step) => step.verb === 'enlarge-disk') ? 'enlarge the disk' : '',
    part('delete', gone),
    part('set aside', named('set-aside')),
    part('shrink', named('shrink').length > 0 ? [many(named('shrink'))] : []),
    part('copy', copied.length > 0 ? [many(copied)] : []),
    part('leap', leaping.length > 0 ? [many(leaping)] : []),
    part('shift', moved.length > 0 ? [many(moved.reverse())] : []),
    steps.some((step) => step.verb === 'move' && step.partition === target.number)
      ? `move ${sentenceName(target)} itself`
      : '',
  ].filter((text) => text !== '');
  if (parts.length === 0) return `Extend ${sentenceName(target)} at once`;
  const text = parts.join(', ');
  return text.charAt(0).toUpperCase() + text.slice(1);
}

const part = (verb: string, names: readonly string[]): string =>
  names.length === 0 ? '' : `${verb} ${inARow(names)}`;

export const countOf = (steps: readonly Step[], verb: Step['verb'], partition: number | null): number =>
  steps.filter((step) => step.verb === verb && step.partition === partition).length;
