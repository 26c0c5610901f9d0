import type { Extent } from '../disk';
import { gapsOf } from './layout';
import type { Judged, Totals } from './criteria';
import type { Task, Preference } from './request';
import type { Vector } from './search/front';
import type { Step } from './steps';
import type { Kit } from './tools';
import { titleOf, whyOf } from './wording';

export type { Totals } from './criteria';

/** What a route asks of the person who carries it out. */
export type Difficulty = 'plain' | 'careful' | 'demanding';

/** An ordered list of steps that reaches the goal, as it travels (contract). Sizes in bytes. */
export interface Route {
  /** Id of its kit. */
  kit: string;
  title: string;
  keepsRecoveryBehind: boolean;
  difficulty: { grade: Difficulty; why: string };
  /** The first step that taking back does not undo, counted from 1, and why; null: each can be undone. */
  noReturn: { step: number; why: string } | null;
  steps: Step[];
  totals: Totals;
  asLeft: { partitions: (Extent & { number: number })[]; unallocated: Extent[] };
}

export function routeOf(task: Task, kit: Kit, judged: Judged): Route {
  const { left, totals } = judged;
  const steps = judged.steps.map((step): Step => ({ ...step, why: whyOf(task, judged.steps, step) }));
  return {
    kit: kit.id,
    title: titleOf(task, steps),
    keepsRecoveryBehind: judged.vector[5] === 0,
    difficulty: difficultyOf(steps, totals),
    noReturn: noReturnOf(steps),
    steps,
    totals,
    asLeft: {
      partitions: left.partitions.map(({ number, first, sectors }) => ({ number, first, sectors })),
      unallocated: gapsOf(left),
    },
  };
}

function difficultyOf(steps: readonly Step[], totals: Totals): Route['difficulty'] {
  const has = (...verbs: Step['verb'][]) => steps.some((step) => verbs.includes(step.verb));
  const rebuilds = has('set-aside', 'copy');
  const repairs = steps.some((step) => step.verb === 'move' && step.repair !== undefined);
  if (rebuilds && (steps.length > 5 || has('copy')))
    return {
      grade: 'demanding',
      why: 'A partition is deleted and made anew, which must be done exactly as written.',
    };
  if (repairs) return { grade: 'demanding', why: 'Boot data or a letter must be repaired afterwards.' };
  if (rebuilds)
    return { grade: 'careful', why: 'The recovery partition is deleted and made anew with its details.' };
  if (totals.exposedBytes > 0)
    return { grade: 'careful', why: 'While a partition is moved over itself nobody may interrupt it.' };
  if (totals.handOvers > 1)
    return {
      grade: 'careful',
      why: 'The tools change more than once, and the disk is read again each time.',
    };
  return { grade: 'plain', why: 'Each step can be taken back by its opposite, and nothing is exposed.' };
}

function noReturnOf(steps: readonly Step[]): Route['noReturn'] {
  const at = steps.findIndex(
    (step) => step.verb === 'delete' || step.verb === 'set-aside' || step.exposedBytes > 0,
  );
  const step = steps[at];
  if (!step) return null;
  const why =
    step.verb === 'move'
      ? 'It writes over the place that it comes from: once begun it must be finished.'
      : step.verb === 'set-aside'
        ? 'The partition is gone from here on, until it is put back.'
        : 'What is deleted comes back from its copy or the backup only.';
  return { step: at + 1, why };
}

/** The order in which the criteria count: bytes, exposed, restarts, steps, idle, gives-up by their place. */
const ORDER: Record<Preference, readonly number[]> = {
  safe: [1, 4, 5, 2, 3, 0],
  quick: [0, 2, 3, 1, 5, 4],
  'few-steps': [3, 2, 0, 1, 5, 4],
};

/** Compares two routes by the preference; kits in the order asked for, then titles, decide between equals. */
export function byPreference(prefer: Preference, a: Vector, b: Vector): number {
  for (const i of ORDER[prefer]) if (a[i] !== b[i]) return a[i]! - b[i]!;
  return 0;
}
