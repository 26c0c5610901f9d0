import type { EffortPoint, RoutesAnswer, RoutesRequest } from '$core/planning';
import type { Outcome } from '$core/problem';
import PlanWorker from './plan.worker?worker';
import { runInWorker } from './run';

export type PlanAsked =
  | { kind: 'routes'; request: RoutesRequest; milliseconds: number; nodes: number }
  | { kind: 'effort'; request: RoutesRequest; sizes: number[] };

/** How far the planner is, 0 to 1, and with which kit. */
export interface PlanProgress {
  share: number;
  kit: string;
}

export type PlanResult =
  { kind: 'routes'; outcome: Outcome<RoutesAnswer> } | { kind: 'effort'; effort: EffortPoint[] };

const broken = (reason: string): Outcome<RoutesAnswer> => ({
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
export async function effortInWorker(
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
