import { computeEffortBySize, planRoutes, taskOf, type RoutesAnswer } from '$core/planning';
import { finished } from '$core/drawing';
import { success, type Outcome } from '$core/problem';
import { machineOf } from '$core/survey';
import type { PlanAsked, PlanProgress, PlanResult } from './asked';
import type { WorkerMessage } from './run';

/** Plans beside the page, so that it stays alive; to stop it the page ends the worker. */
self.onmessage = (event: MessageEvent<PlanAsked>) => {
  const tell = (said: WorkerMessage<PlanProgress, PlanResult>) => self.postMessage(said);
  const { kind, request } = event.data;
  const progress = (share: number, kit: string) => tell({ kind: 'progress', progress: { share, kit } });
  if (kind === 'effort') {
    tell({
      kind: 'done',
      result: { kind, effort: computeEffortBySize(request, event.data.sizes, progress) },
    });
    return;
  }
  const planning = { milliseconds: event.data.milliseconds, nodes: event.data.nodes, progress };
  if (kind === 'finish') {
    const { drawing, upTo } = event.data;
    const task = taskOf(machineOf(request.survey), { ...request, kits: [drawing.kit] });
    const done = task.ok ? finished(task.value, task.value.kits[0]!, request, drawing, upTo, planning) : task;
    tell({ kind: 'done', result: { kind, outcome: done.ok ? success(done.value.drawing) : done } });
    return;
  }
  const outcome: Outcome<RoutesAnswer> = planRoutes(request, planning);
  tell({ kind: 'done', result: { kind, outcome } });
};
