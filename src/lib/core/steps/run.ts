import { diskNow } from './diskNow';
import { layoutOf, type Layout, type OutsidePlace } from './layout';
import type { BareStep, Intent, PricedStep, Step } from './step';
import { NO_TIME, type Kit } from '../tools';
import { nameInSentence, type Disk } from '../disk';
import { success, type Outcome } from '../problem';
import { refused } from './abilities';
import { findModule, moduleOf } from './registry';
import type { StepContext, Terms } from './verb';

/** Result of an intent on a layout: exact figures, costs and tools; or why it can't be, as a sentence. */
export const resolve = (ground: StepContext, intent: Intent): Outcome<PricedStep> =>
  findModule(intent).resolve({ ...ground, terms: termsNow(ground) }, intent);

function termsNow({ terms, layout }: StepContext): Terms {
  const disk = diskNow(terms.disk, layout);
  return disk === terms.disk ? terms : { ...terms, disk };
}

/** The layout after a step, or why it is not possible there, as part of a sentence. */
export const applyStep = (disk: Disk, layout: Layout, step: BareStep | Step): Outcome<Layout> =>
  moduleOf(step.verb).apply(diskNow(disk, layout), layout, asStep(step));

/** Effect of a step on a layout: nothing that its tool adds changes it. */
const asStep = (step: BareStep | Step): Step => ({
  tool: '',
  seconds: NO_TIME,
  exposedSeconds: NO_TIME,
  why: '',
  ...step,
});

/** The layouts as found and after each step, one more than there are steps; or which step is not possible, and why. */
export function computeLayouts(disk: Disk, steps: readonly (BareStep | Step)[]): Outcome<Layout[]> {
  const layouts = [layoutOf(disk)];
  for (const step of steps) {
    const result = applyStep(disk, layouts.at(-1)!, step);
    if (!result.ok) return result;
    layouts.push(result.value);
  }
  return success(layouts);
}

/** A step that was carried out, and the layout after it. */
export interface ExecutedIntent {
  priced: PricedStep;
  after: Layout;
}

/** Carries an intent out on a layout. What the disk itself refuses is said as a sentence with names. */
export function executeIntent(ground: StepContext, intent: Intent): Outcome<ExecutedIntent> {
  const priced = resolve(ground, intent);
  if (!priced.ok) return priced;
  const { disk } = ground.terms;
  const after = applyStep(disk, ground.layout, priced.value.step);
  return after.ok
    ? success({ priced: priced.value, after: after.value })
    : refused(`This can’t be: ${named(disk, after.problems[0]!.message)}.`);
}

const named = (disk: Disk, reason: string): string =>
  reason.replace(/partition (\d+)/, (all, number) => {
    const found = disk.partitions.find((one) => one.number === Number(number));
    return found ? nameInSentence(found) : all;
  });

/** Steps that were carried out one after the other, and the layout that they lead to. */
export interface ExecutedIntents {
  steps: PricedStep[];
  left: Layout;
}

/** Carries intents out from the disk as found, or says why one of them can't be. */
export function executeIntents(
  terms: Terms & { outside: readonly OutsidePlace[] },
  kit: Kit,
  intents: readonly Intent[],
): Outcome<ExecutedIntents> {
  let layout = layoutOf(terms.disk, terms.outside);
  const steps: PricedStep[] = [];
  for (const intent of intents) {
    const executed = executeIntent({ terms, kit, layout }, intent);
    if (!executed.ok) return executed;
    steps.push(executed.value.priced);
    layout = executed.value.after;
  }
  return success({ steps, left: layout });
}
