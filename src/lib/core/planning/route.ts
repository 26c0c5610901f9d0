import { Type, type Static } from 'typebox';
import { closed, ExtentShape, Name, orNull, PartitionNumber } from '../shapes';
import type { Disk } from '../disk';
import { findBootRepairs, gapsOf, moduleOf, StepShape, type Step, type Verb } from '../steps';
import type { Kit } from '../tools';
import { TotalsShape, type Evaluated, type Totals } from './evaluate';
import type { Task } from './task';
import { explainNotRehearsed } from '../executor/rehearsable';
import { becauseOf } from './because';
import { titleOf } from './title';
import { UsualShape } from './usual';

export type { Totals } from './evaluate';

/** Demands of a route on the person who carries it out. */
export const DIFFICULTIES = ['plain', 'careful', 'demanding'] as const;

const Placed = closed({ number: PartitionNumber, ...ExtentShape.properties });
const Sentence = Type.String({ maxLength: 2000 });

/** An ordered list of steps that reaches the goal, as it travels (contract). Sizes in bytes. */
export const RouteShape = closed({
  /** Id of its kit. */
  kit: Name,
  title: Sentence,
  keepsRecoveryBehind: Type.Boolean(),
  difficulty: closed({ grade: Type.Enum(DIFFICULTIES), why: Sentence }),
  /** The first step that taking back does not undo, counted from 1, and why; null: each can be undone. */
  noReturn: orNull(closed({ step: Type.Integer({ minimum: 1 }), why: Sentence })),
  steps: Type.Array(StepShape, { maxItems: 200 }),
  totals: TotalsShape,
  /** Figures of the usual order; absent in answers that were saved before there was one. */
  usual: Type.Optional(UsualShape),
  /** Why it stands where it does in that order, in one sentence. */
  because: Type.Optional(Sentence),
  /** Whether it can be run on a stand-in, and why it can't; not in answers that were kept before there were any. */
  rehearsable: Type.Optional(Type.Boolean()),
  notRehearsable: Type.Optional(Sentence),
  asLeft: closed({
    partitions: Type.Array(Placed, { maxItems: 2048 }),
    unallocated: Type.Array(ExtentShape, { maxItems: 4096 }),
  }),
});
export type Route = Static<typeof RouteShape>;

/** An evaluated list of steps with its words. */
export function routeOf(task: Task, kit: Kit, evaluated: Evaluated): Route {
  const { left, totals, criteria, usual } = evaluated;
  const { disk, target } = task;
  const told = { disk, target, steps: evaluated.steps };
  const steps = told.steps.map((step): Step => ({
    ...step,
    why: moduleOf(step.verb).why({ ...told, step }),
  }));
  const not = explainNotRehearsed(disk, steps);
  const noReturn = noReturnOf(steps);
  return {
    kit: kit.id,
    title: titleOf(task, steps),
    keepsRecoveryBehind: criteria.givesUp === 0,
    difficulty: difficultyOf(disk, steps, totals, noReturn),
    noReturn,
    steps,
    totals,
    usual,
    because: becauseOf({ disk, steps, totals, usual, criteria }),
    rehearsable: not === null,
    ...(not === null ? {} : { notRehearsable: not }),
    asLeft: {
      partitions: left.partitions.map(({ number, first, sectors }) => ({ number, first, sectors })),
      unallocated: gapsOf(left),
    },
  };
}

function difficultyOf(
  disk: Disk,
  steps: readonly Step[],
  totals: Totals,
  noReturn: Route['noReturn'],
): Route['difficulty'] {
  const has = (...verbs: Verb[]) => steps.some((step) => verbs.includes(step.verb));
  const rebuilds = has('set-aside', 'copy');
  const { must, may } = findBootRepairs(disk, steps);
  const letter =
    disk.table === 'mbr' && steps.some((step) => step.verb === 'move' && step.repair !== undefined);
  if (has('clone'))
    return {
      grade: 'careful',
      why: 'Two disks are beside each other: taken for one another, the wrong one is written to.',
    };
  if (has('convert-table'))
    return {
      grade: 'demanding',
      why: 'The table is converted and the machine starts in another way from then on, which nothing takes back.',
    };
  if (has('join'))
    return {
      grade: 'demanding',
      why: 'A volume’s files get another place, and all that names its letter must be looked for.',
    };
  if (rebuilds && (steps.length > 5 || has('copy')))
    return {
      grade: 'demanding',
      why: 'A partition is deleted and made anew, which must be done exactly as written.',
    };
  if (must.length > 0) return { grade: 'demanding', why: 'The boot data must be written anew afterwards.' };
  if (letter) return { grade: 'demanding', why: 'A drive letter may have to be given anew afterwards.' };
  if (rebuilds)
    return { grade: 'careful', why: 'The recovery partition is deleted and made anew with its details.' };
  if (has('convert-volume'))
    return { grade: 'careful', why: 'A file system is converted, which nothing takes back.' };
  if (totals.exposedBytes > 0)
    return { grade: 'careful', why: 'While a partition is moved over itself nobody may interrupt it.' };
  if (totals.handOvers > 1)
    return {
      grade: 'careful',
      why: 'The tools change more than once, and the disk is read again each time.',
    };
  if (may.length > 0) return { grade: 'careful', why: 'What the machine starts from gets another place.' };
  if (noReturn) return { grade: 'careful', why: noReturn.why };
  return { grade: 'plain', why: 'Each step can be taken back by its opposite, and nothing is exposed.' };
}

function noReturnOf(steps: readonly Step[]): Route['noReturn'] {
  for (const [i, step] of steps.entries()) {
    const why = moduleOf(step.verb).noReturn(step);
    if (why) return { step: i + 1, why };
  }
  return null;
}
