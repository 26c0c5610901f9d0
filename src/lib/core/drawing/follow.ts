import { bytesOf } from '../disk';
import { evaluate, routeOf, type Route, type Task } from '../planning';
import { executeIntent, layoutOf, findPartitionNow, type Layout, type PricedStep, type Step } from '../steps';
import { both, NO_TOOLS, listTools, selectTools, type Kit } from '../tools';
import type { Drawing, PlannedStep } from './drawing';

/** Outcome of one step of a drawing. */
export interface StepResult {
  drawn: PlannedStep;
  /** `refused`: it no longer fits, and what follows is computed as if it were not there. */
  kind: 'done' | 'off' | 'refused';
  /** Why it was refused; else empty. */
  reason: string;
  /** Tools of the kit that could do it, by id. */
  tools: readonly string[];
  /** The step as it is done, tool and time included; null where it is not. */
  step: Step | null;
  /** The disk after it. */
  after: Layout;
  /** Outcomes with every tool that may do it; null where it is not done. */
  priced: PricedStep | null;
}

/** A drawing followed through from the disk as found. */
export interface Followed {
  start: Layout;
  results: readonly StepResult[];
  /** The steps that are done, in order. */
  steps: readonly Step[];
  /** The same as a route, with all its figures; null where no step is done. */
  route: Route | null;
  /** Whether the target ends with the goal's size at the least. */
  reached: boolean;
}

/**
 * Follows a drawing through.
 * @param before the same task and kit followed earlier: its results are taken over up to the first other step
 */
export function follow(task: Task, kit: Kit, drawing: Drawing, before?: Followed): Followed {
  const start = before?.start ?? layoutOf(task.disk, task.outside);
  const results: StepResult[] = [];
  let layout = start;
  let same = before !== undefined;
  for (const [i, drawn] of drawing.steps.entries()) {
    const old = before?.results[i];
    same &&= old?.drawn === drawn;
    const result = same ? old! : resultOf(task, kit, layout, drawn);
    results.push(result);
    layout = result.after;
  }
  const steps = results.flatMap(({ priced }) => priced ?? []);
  const route = steps.length > 0 ? routeOf(task, kit, evaluate(task, kit, { steps, left: layout })) : null;
  const done = [...(route?.steps ?? [])];
  const target = findPartitionNow(layout, task.target.number);
  const goal = task.size === 'max' ? Infinity : task.size;
  return {
    start,
    results: results.map((result) => (result.priced ? { ...result, step: done.shift()! } : result)),
    steps: route?.steps ?? [],
    route,
    reached: target !== undefined && bytesOf(task.disk, target) >= goal,
  };
}

function resultOf(task: Task, kit: Kit, layout: Layout, drawn: PlannedStep): StepResult {
  const result: StepResult = {
    drawn,
    kind: 'off',
    reason: '',
    tools: [],
    step: null,
    after: layout,
    priced: null,
  };
  if (drawn.off) return result;
  const executed = executeIntent({ terms: task, kit, layout }, drawn.intent);
  if (!executed.ok) return { ...result, kind: 'refused', reason: executed.problems[0]!.message };
  const { priced, after } = executed.value;
  const tools = listTools(kit, priced.tools).map(({ id }) => id);
  const wanted = drawn.tool === null ? priced.tools : selectTools(kit, ({ id }) => id === drawn.tool);
  const left = both(wanted, priced.tools);
  if (left === NO_TOOLS) {
    const name = kit.tools.find(({ id }) => id === drawn.tool)?.name ?? drawn.tool;
    const reason = `${name} can’t do this. These can: ${tools.join(', ')}.`;
    return { ...result, tools, kind: 'refused', reason };
  }
  return { ...result, tools, kind: 'done', after, priced: { ...priced, tools: left } };
}
