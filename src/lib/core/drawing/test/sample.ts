import { taskOf, type RoutesRequest, type Task } from '../../planning';
import type { Kit } from '../../tools';
import { machineOf, type SurveyDocument } from '../../survey';
import { clinic } from '../../test/clinic';
import { GIB } from '../../units';

/** A task with its one kit, for tests. */
export function taskFor(
  kit: string,
  ask: Partial<RoutesRequest> = {},
  survey: SurveyDocument = clinic(),
): { task: Task; kit: Kit; request: RoutesRequest } {
  const request: RoutesRequest = {
    survey,
    disk: 0,
    goal: { partition: 3, size: 200 * GIB },
    kits: [kit],
    ...ask,
  };
  const task = taskOf(machineOf(survey), request);
  if (!task.ok) throw new Error(JSON.stringify(task.problems));
  return { task: task.value, kit: task.value.kits[0]!, request };
}
