import { sentenceName } from '../disk';
import { creationOf, type Kit, type Step, type Task } from '../planning';
import { edited } from './edit';
import { follow, type Followed } from './follow';
import type { Drawing, Intent } from './intent';
import { differences } from './planOn';
import { nextNumber } from './state';

/** The route from somewhere in a drawing to the layout as found. */
export interface WayBack {
  /** The drawing up to there, and the way back behind it. */
  drawing: Drawing;
  /** How many steps the way back has. */
  steps: number;
  /** What it can't bring back, in sentences. */
  lost: string[];
}

/**
 * Takes back what a drawing did in its first `upTo` steps, the last first: every step by its opposite, on the very
 * layouts that the steps had before and after them. What has no opposite is said.
 */
export function wayBack(task: Task, kit: Kit, drawing: Drawing, upTo: number): WayBack {
  const begun = { ...drawing, steps: drawing.steps.slice(0, upTo) };
  const followed = follow(task, kit, begun);
  const { intents, lost } = opposites(task, followed);
  const whole = edited(begun, { kind: 'add', at: upTo, intents });
  const after = follow(task, kit, whole);
  const refused = after.moments.slice(upTo).filter((moment) => moment.kind === 'refused');
  const gone = new Set(refused.map((moment) => moment.drawn.id));
  const kept = { ...whole, steps: whole.steps.filter((step) => !gone.has(step.id)) };
  const end = gone.size === 0 ? after : follow(task, kit, kept);
  const last = end.moments.at(-1)?.after ?? end.start;
  return {
    drawing: kept,
    steps: kept.steps.length - upTo,
    lost: [...new Set([...lost, ...refused.map((moment) => moment.reason), ...differences(task, last)])],
  };
}

function opposites(task: Task, { moments, start }: Followed): { intents: Intent[]; lost: string[] } {
  const intents: Intent[] = [];
  const lost: string[] = [];
  const end = moments.at(-1)?.after ?? start;
  let number = nextNumber(task.disk, end);
  /** What a partition is called by now, where it had to be made anew on the way back. */
  const renamed = new Map<number, number>();
  const now = (partition: number): number => renamed.get(partition) ?? partition;
  const done = moments.flatMap(({ step }) => (step ? [step] : []));
  for (const step of [...done].reverse()) {
    switch (step.verb) {
      case 'shrink':
      case 'extend': {
        const verb = step.verb === 'shrink' ? 'extend' : 'shrink';
        intents.push({ verb, partition: now(step.partition), to: step.from });
        break;
      }
      case 'move':
        intents.push({ verb: 'move', partition: now(step.partition), first: step.from.first });
        break;
      case 'create':
        intents.push({ verb: 'delete', partition: now(step.partition), word: 'the drawing made it' });
        break;
      case 'set-aside':
        intents.push({ verb: 'put-back', partition: step.partition, to: step.from });
        break;
      case 'put-back':
        intents.push({ verb: 'set-aside', partition: step.partition });
        break;
      case 'delete':
        number = remade(task, done, step, number, intents, lost, renamed);
        break;
      case 'decrypt':
        lost.push(`${nameOf(task, step)} stays decrypted: turn its encryption on again in Windows.`);
        break;
      case 'relocate-table':
        lost.push('The backup table stays at the true end of the disk, where it belongs.');
        break;
      case 'enlarge-disk':
        lost.push(
          'The disk stays enlarged: take the room back where the virtual machine is managed, once nothing lies in it.',
        );
        break;
      case 'copy':
        break;
    }
  }
  return { intents, lost };
}

/** A deleted partition is made again and its files come back from where they were copied to. */
function remade(
  task: Task,
  done: readonly Step[],
  step: Extract<Step, { verb: 'delete' }>,
  number: number,
  intents: Intent[],
  lost: string[],
  renamed: Map<number, number>,
): number {
  const found = task.disk.partitions.find((one) => one.number === step.partition);
  if (!found) return number;
  const copy = done.find(
    (one) => one.verb === 'copy' && one.into !== undefined && one.partition === found.number,
  );
  const name = sentenceName(found);
  intents.push({ verb: 'create', partition: number, to: step.from, create: creationOf(found) });
  renamed.set(found.number, number);
  if (copy?.verb === 'copy' && copy.into !== undefined) {
    if ('outside' in copy.into) {
      intents.push({
        verb: 'copy-back',
        partition: number,
        of: found.number,
        fromOutside: copy.into.outside,
      });
    } else intents.push({ verb: 'copy', partition: copy.into.partition, into: { partition: number } });
    lost.push(`${name} is made anew: it gets another GUID.`);
  } else lost.push(`What ${name} held is gone with it; only a backup brings that back.`);
  return number + 1;
}

const nameOf = (task: Task, step: Step): string => {
  const found = task.disk.partitions.find((one) => one.number === step.partition);
  return found ? sentenceName(found) : `Partition ${step.partition}`;
};
