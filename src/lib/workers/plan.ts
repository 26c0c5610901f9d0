import type { Drawing } from '$core/drawing';
import type { EffortPoint, RoutesAnswer, RoutesRequest } from '$core/planning';
import type { Outcome } from '$core/problem';
import type { PlanAsked, PlanProgress, PlanResult } from './asked';
import PlanWorker from './plan.worker?worker';
import { runInWorker } from './run';

const broken = (reason: string): Outcome<never> => ({
  ok: false,
  problems: [{ code: 'worker', path: '', message: `The planner stopped: ${reason}.` }],
});

/** Plans in a worker; null where `signal` stopped it. */
export async function planInWorker(
  request: RoutesRequest,
  budget: { milliseconds: number; nodes: number },
  onprogress: (progress: PlanProgress) => void,
  signal: AbortSignal,
): Promise<Outcome<RoutesAnswer> | null> {
  const result = await runInWorker<PlanProgress, PlanResult>(
    PlanWorker,
    { kind: 'routes', request, ...budget } satisfies PlanAsked,
    onprogress,
    (reason) => ({ kind: 'routes', outcome: broken(reason) }),
    signal,
  );
  return result?.kind === 'routes' ? result.outcome : null;
}

/** The least effort for every size, in a worker; null where `signal` stopped it. */
export async function computeEffortInWorker(
  request: RoutesRequest,
  sizes: number[],
  signal: AbortSignal,
): Promise<EffortPoint[] | null> {
  const result = await runInWorker<PlanProgress, PlanResult>(
    PlanWorker,
    { kind: 'effort', request, sizes } satisfies PlanAsked,
    () => undefined,
    () => ({ kind: 'effort', effort: [] }),
    signal,
  );
  return result?.kind === 'effort' ? result.effort : null;
}

/** A drawing brought to the goal from behind its first `upTo` steps, in a worker; null where `signal` stopped it. */
export async function finishInWorker(
  request: RoutesRequest,
  drawing: Drawing,
  upTo: number,
  budget: { milliseconds: number; nodes: number },
  onprogress: (progress: PlanProgress) => void,
  signal: AbortSignal,
): Promise<Outcome<Drawing> | null> {
  const result = await runInWorker<PlanProgress, PlanResult>(
    PlanWorker,
    { kind: 'finish', request, drawing, upTo, ...budget } satisfies PlanAsked,
    onprogress,
    (reason) => ({ kind: 'finish', outcome: broken(reason) }),
    signal,
  );
  return result?.kind === 'finish' ? result.outcome : null;
}
