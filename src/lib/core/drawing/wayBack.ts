import type { Task } from '../planning';
import { moduleOf, nextNumber, type Intent } from '../steps';
import type { Kit } from '../tools';
import type { Drawing } from './drawing';
import { applyEdit } from './edit';
import { follow, type Followed } from './follow';
import { differences } from './planOn';

/** The route from somewhere in a drawing to the layout as found. */
export interface WayBack {
  /** The drawing up to there, and the way back behind it. */
  drawing: Drawing;
  /** Number of steps of the way back. */
  steps: number;
  /** Losses that it can't bring back, in sentences. */
  lost: string[];
}

/**
 * Takes back what a drawing did in its first `upTo` steps, the last first: every step by its opposite, on the very
 * layouts that the steps had before and after them. What has no opposite is said.
 */
export function planWayBack(task: Task, kit: Kit, drawing: Drawing, upTo: number): WayBack {
  const begun = { ...drawing, steps: drawing.steps.slice(0, upTo) };
  const followed = follow(task, kit, begun);
  const { intents, lost } = opposites(task, followed);
  const whole = applyEdit(begun, { kind: 'add', at: upTo, intents });
  const after = follow(task, kit, whole);
  const refused = after.results.slice(upTo).filter((result) => result.kind === 'refused');
  const gone = new Set(refused.map((result) => result.drawn.id));
  const kept = { ...whole, steps: whole.steps.filter((step) => !gone.has(step.id)) };
  const end = gone.size === 0 ? after : follow(task, kit, kept);
  const last = end.results.at(-1)?.after ?? end.start;
  return {
    drawing: kept,
    steps: kept.steps.length - upTo,
    lost: [...new Set([...lost, ...refused.map((result) => result.reason), ...differences(task, last)])],
  };
}

function opposites({ disk }: Task, { results, start }: Followed): { intents: Intent[]; lost: string[] } {
  const intents: Intent[] = [];
  const lost: string[] = [];
  const done = results.flatMap(({ step }) => step ?? []);
  let number = nextNumber(disk, results.at(-1)?.after ?? start);
  const renumbered = new Map<number, number>();
  const back = {
    disk,
    done,
    numberNow: (partition: number) => renumbered.get(partition) ?? partition,
    renumbered: (partition: number) => {
      renumbered.set(partition, number);
      return number++;
    },
  };
  for (const step of [...done].reverse()) {
    const opposite = moduleOf(step.verb).opposite(step, back);
    intents.push(...(opposite.intents ?? []));
    lost.push(...(opposite.lost ?? []));
  }
  return { intents, lost };
}
