import type { GOALS } from '$contract/goals';
import { refuse } from '$contract/problems';
import { success, type Outcome } from '$core/problem';
import { runInWorker } from '../../platform/threads/runInWorker';
import { chooseRoute, saveGoal } from '../../work/goals/goals';
import { planGoal } from '../../work/goals/planGoal';
import { diagnosisTask, routesTask } from '../../work/goals/planTasks';
import { findJob } from '../../work/jobs/findJob';
import { readWorkshop } from '../../work/workshop/workshop';
import type { HandlersOf } from '../runner/endpoint';
import { answerSaved } from './savedJob';

/** Answers a body that is read, checked and worked on beside the server's own thread. */
const workOnBytes = (task: typeof routesTask) => ({
  onBytes: async (bytes: Uint8Array): Promise<Outcome<Response>> => {
    const answer = await runInWorker(task, bytes);
    return answer.ok
      ? success(new Response(answer.value, { headers: { 'content-type': 'application/json' } }))
      : answer;
  },
});

export const GOAL_HANDLERS = {
  'POST /diagnosis': workOnBytes(diagnosisTask),
  'POST /routes': workOnBytes(routesTask),
  'PUT /jobs/{number}/goal': async ({ params: { number }, body }) => {
    const { version, size, keepFreePercent = 0, options = {} } = body;
    const job = await findJob(number, ['survey']);
    if (!job) return refuse('no-job', { number });
    const planned = await planGoal(job, { size, keepFreePercent, options }, (await readWorkshop()).workshop);
    return planned.ok ? answerSaved(number, saveGoal(number, version, planned.value)) : planned;
  },
  'PUT /jobs/{number}/route': ({ params: { number }, body: { version, chosen } }) =>
    answerSaved(number, chooseRoute(number, version, chosen)),
} satisfies HandlersOf<typeof GOALS>;
