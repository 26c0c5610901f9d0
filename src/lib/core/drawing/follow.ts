import { bytesOf, sentenceName } from '../disk';
import {
  applyFully,
  judge,
  routeOf,
  type Choice,
  type Kit,
  type Route,
  type Step,
  type Task,
} from '../planning';
import type { Drawing, Drawn } from './intent';
import { resolve } from './resolve';
import { startOf, type State } from './state';

/** What became of one step of a drawing. */
export interface Moment {
  drawn: Drawn;
  /** `refused`: it no longer fits, and what follows is computed as if it were not there. */
  kind: 'done' | 'off' | 'refused';
  /** Why it was refused; else empty. */
  reason: string;
  /** Tools of the kit that could do it, by id. */
  tools: readonly string[];
  /** The step as it is done, tool and time included; null where it is not. */
  step: Step | null;
  /** The disk after it. */
  after: State;
  /** What it comes to with every tool that may do it; null where it is not done. */
  choice: Choice | null;
}

/** A drawing followed through from the disk as found. */
export interface Followed {
  start: State;
  moments: readonly Moment[];
  /** The steps that are done, in order. */
  steps: readonly Step[];
  /** The same as a route, with all its figures; null where no step is done. */
  route: Route | null;
  /** Whether the target ends with the goal's size at the least. */
  reached: boolean;
}

/**
 * Follows a drawing through.
 * @param before the same task and kit followed earlier: its moments are taken over up to the first other step
 */
export function follow(task: Task, kit: Kit, drawing: Drawing, before?: Followed): Followed {
  const start = before?.start ?? startOf(task.disk, task.outside);
  const moments: Moment[] = [];
  let state = start;
  let same = before !== undefined;
  for (const [i, drawn] of drawing.steps.entries()) {
    const old = before?.moments[i];
    same &&= old?.drawn === drawn;
    const moment = same ? old! : momentOf(task, kit, state, drawn);
    moments.push(moment);
    state = moment.after;
  }
  const places = moments.flatMap(({ choice }, i) => (choice ? [i] : []));
  const choices = moments.flatMap(({ choice }) => choice ?? []);
  const judged = choices.length > 0 ? judge(task, kit, choices, state.layout) : null;
  const route = judged && routeOf(task, kit, judged);
  route?.steps.forEach((step, i) => {
    const place = places[i]!;
    moments[place] = { ...moments[place]!, step };
  });
  const target = state.layout.partitions.find((one) => one.number === task.target.number);
  const goal = task.size === 'max' ? Infinity : task.size;
  return {
    start,
    moments,
    steps: route?.steps ?? [],
    route,
    reached: target !== undefined && bytesOf(task.disk, target) >= goal,
  };
}

function momentOf(task: Task, kit: Kit, state: State, drawn: Drawn): Moment {
  const moment = { drawn, reason: '', tools: [] as string[], step: null, after: state, choice: null };
  if (drawn.off) return { ...moment, kind: 'off' };
  const resolved = resolve(task, kit, state, drawn.intent);
  if (!resolved.ok) return { ...moment, kind: 'refused', reason: resolved.reason };
  const { choice } = resolved;
  const tools = kit.tools.filter((_, i) => choice.tools & (1 << i)).map((tool) => tool.id);
  const wanted =
    drawn.tool === null ? choice.tools : 1 << kit.tools.findIndex((tool) => tool.id === drawn.tool);
  if ((wanted & choice.tools) === 0) {
    const name = kit.tools.find((tool) => tool.id === drawn.tool)?.name ?? drawn.tool;
    return {
      ...moment,
      tools,
      kind: 'refused',
      reason: `${name} can’t do this. These can: ${tools.join(', ')}.`,
    };
  }
  const bare = {
    ...choice.step,
    tool: tools[0]!,
    seconds: NO_TIME,
    exposedSeconds: NO_TIME,
    why: '',
  } as Step;
  const applied = applyFully(task.disk, state.layout, bare);
  if (!applied.ok) return { ...moment, tools, kind: 'refused', reason: sentence(task, applied.reason) };
  return {
    ...moment,
    tools,
    kind: 'done',
    step: bare,
    after: afterwards(task, state, bare, applied.layout),
    choice: { ...choice, tools: wanted & choice.tools },
  };
}

const NO_TIME = { low: 0, high: 0 };

/** The disk's own reason as a sentence, with partitions called by their names. */
function sentence({ disk }: Task, reason: string): string {
  const named = reason.replace(/partition (\d+)/, (all, number) => {
    const found = disk.partitions.find((one) => one.number === Number(number));
    return found ? sentenceName(found) : all;
  });
  return `This can’t be: ${named}.`;
}

function afterwards(task: Task, state: State, step: Step, layout: State['layout']): State {
  const next = { ...state, layout };
  if (step.verb === 'shrink') {
    const size = bytesOf(task.disk, step.to);
    const least = Math.min(size, state.smallest.get(step.partition) ?? Infinity);
    return { ...next, smallest: new Map([...state.smallest, [step.partition, least]]) };
  }
  if (step.verb === 'create') return { ...next, made: new Set([...state.made, step.partition]) };
  if (step.verb !== 'copy') return next;
  if (step.into === undefined)
    return { ...next, holds: new Map([...state.holds, [step.of, step.partition]]) };
  if ('partition' in step.into) {
    return { ...next, holds: new Map([...state.holds, [step.partition, step.into.partition]]) };
  }
  const { outside } = step.into;
  const left = (state.outside.get(outside) ?? 0) - step.bytesCopied;
  return { ...next, outside: new Map([...state.outside, [outside, left]]) };
}
