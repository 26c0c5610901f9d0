import { json, type RequestHandler } from '@sveltejs/kit';
import { jobNumber, onJob } from '$lib/server/answers';
import { readBody } from '$lib/server/door/body';
import { noRehearsal, onRehearsal, refusedRehearsal } from '$lib/server/rehearsal/answers';
import { wishFor } from '$lib/server/rehearsal/wish';

export const GET: RequestHandler = ({ params }) =>
  onRehearsal(params, async (_job, rehearsal) => json(rehearsal));

/** Asks something of it; what can't be at this moment is refused with the reason. */
export const PUT: RequestHandler = ({ request, params }) =>
  onJob(params['number'], async (job) => {
    const body = await readBody(request, 'rehearsal-wish');
    if (!body.ok) return body.response;
    const done = await wishFor(job.number, jobNumber(params['id']) ?? 0, body.value.wish);
    if (done === null) return noRehearsal(job.number, params['id']);
    return done.ok ? json(done.value) : refusedRehearsal(done.problems);
  });
