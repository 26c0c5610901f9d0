import { copyOf, findPartition, joinNames, type Step, type StepOf, type Verb } from '../steps';
import type { Task } from './task';
import { plainName, nameInSentence } from '../disk';

/** A short title made from what the route does. */
export function titleOf(task: Task, steps: readonly Step[]): string {
  const parts = Object.values(PARTS)
    .map((part) => part(new Steps(task, steps)))
    .filter((text) => text !== '');
  if (parts.length === 0) return `Extend ${nameInSentence(task.target)} at once`;
  const text = parts.join(', ');
  return text.charAt(0).toUpperCase() + text.slice(1);
}

/** Part of a title by verb, in this order. */
const PARTS: Record<Exclude<Verb, 'move'> | 'leap' | 'shift' | 'target', (of: Steps) => string> = {
  'relocate-table': () => '',
  decrypt: (of) => part('decrypt', of.names('decrypt')),
  'convert-volume': (of) => {
    const [step] = of.of('convert-volume');
    const found = step && findPartition(of.task.disk, step.partition);
    return found ? `convert ${plainName(found)} to NTFS` : '';
  },
  'convert-table': (of) => (of.has('convert-table') ? 'convert the table to GPT' : ''),
  'enlarge-disk': (of) => (of.has('enlarge-disk') ? 'enlarge the disk' : ''),
  join: (of) => part('join', of.joined()),
  'move-folders': (of) => (of.has('move-folders') ? 'move folders to another volume' : ''),
  delete: (of) =>
    part(
      'delete',
      of.names('delete', ({ partition }) => !copyOf(of.steps, partition)),
    ),
  'set-aside': (of) => part('set aside', of.names('set-aside')),
  shrink: (of) => part('shrink', few(of.names('shrink'))),
  create: () => '',
  'make-table': () => '',
  clone: (of) => (of.has('clone') ? 'move everything to a larger disk' : ''),
  'boot-check': () => '',
  copy: (of) =>
    part('copy', few(of.names('copy', (step) => !('fromOutside' in step) && !of.joins(step.partition)))),
  leap: (of) => part('leap', few(of.leaping())),
  shift: (of) => {
    const leaping = of.leaping();
    return part(
      'shift',
      few(
        of
          .names('move')
          .filter((name) => !leaping.includes(name))
          .reverse(),
      ),
    );
  },
  target: ({ task, steps }) => {
    const name = nameInSentence(task.target);
    if (copyOf(steps, task.target.number)) return `copy ${name} to a larger place`;
    const moves = steps.some((step) => step.verb === 'move' && step.partition === task.target.number);
    return moves ? `move ${name} itself` : '';
  },
  'put-back': () => '',
  extend: () => '',
};

class Steps {
  constructor(
    readonly task: Task,
    readonly steps: readonly Step[],
  ) {}

  of = <V extends Verb>(verb: V): StepOf<V>[] =>
    this.steps.filter((step): step is Extract<StepOf<V>, Step> => step.verb === verb);

  has = (verb: Verb): boolean => this.of(verb).length > 0;

  /** The partitions of a verb's steps but for the target, each once. */
  names<V extends Verb>(verb: V, which: (step: StepOf<V>) => boolean = () => true): string[] {
    const { disk, target } = this.task;
    const numbers = this.of(verb)
      .filter(which)
      .map((step) => step.partition);
    return [...new Set(numbers)].flatMap((number) => {
      const partition = findPartition(disk, number);
      return partition && partition !== target ? [plainName(partition)] : [];
    });
  }

  /** Whether the files of a partition go into a folder of another, and come from where they wait meanwhile. */
  joins = (number: number): boolean => this.of('join').some((step) => 'of' in step && step.of === number);

  /** Volumes whose files go into a folder of another. */
  joined(): string[] {
    const numbers = this.of('join').map((step) => ('of' in step ? step.of : step.partition));
    return numbers.flatMap((number) => {
      const partition = findPartition(this.task.disk, number);
      return partition ? [plainName(partition)] : [];
    });
  }

  /** Partitions that move more than once. */
  leaping(): string[] {
    const moves = this.of('move');
    return this.names(
      'move',
      ({ partition }) => moves.filter((one) => one.partition === partition).length > 1,
    );
  }
}

const few = (names: string[]): string[] => (names.length > 2 ? [`${names.length} partitions`] : names);
const part = (verb: string, names: readonly string[]): string =>
  names.length === 0 ? '' : `${verb} ${joinNames(names)}`;
