import { effortBySize, planRoutes, type RoutesAnswer } from '$core/planning';
import type { Outcome } from '$core/problem';
import type { PlanAsked, PlanProgress, PlanResult } from './asked';
import type { Said } from './run';

/** Plans beside the page, so that it stays alive; to stop it the page ends the worker. */
self.onmessage = (event: MessageEvent<PlanAsked>) => {
  const tell = (said: Said<PlanProgress, PlanResult>) => self.postMessage(said);
  const { kind, request } = event.data;
  const progress = (share: number, kit: string) => tell({ kind: 'progress', progress: { share, kit } });
  if (kind === 'effort') {
    tell({ kind: 'done', result: { kind, effort: effortBySize(request, event.data.sizes, progress) } });
    return;
  }
  const outcome: Outcome<RoutesAnswer> = planRoutes(request, {
    milliseconds: event.data.milliseconds,
    nodes: event.data.nodes,
    progress,
  });
  tell({ kind: 'done', result: { kind, outcome } });
};
