import type { RequestHandler } from '@sveltejs/kit';
import { onJob } from '$lib/server/answers';
import { readBody } from '$lib/server/door/body';
import { planGoal } from '$lib/server/planGoal';
import { saveGoal } from '$lib/server/goals';
import { badInput } from '$lib/server/problem';
import { readWorkshop } from '$lib/server/workshop';

export const PUT: RequestHandler = ({ request, params }) =>
  onJob(params['number'], async (job) => {
    const body = await readBody(request, 'save-goal');
    if (!body.ok) return body.response;
    const { version, size, keepFreePercent = 0, options = {} } = body.value;
    const planned = await planGoal(job, { size, keepFreePercent, options }, (await readWorkshop()).workshop);
    return planned.ok ? saveGoal(job.number, version, planned.value) : badInput(planned.problems);
  });
