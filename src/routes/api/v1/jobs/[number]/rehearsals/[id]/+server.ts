import { json, type RequestHandler } from '@sveltejs/kit';
import { readBody } from '$lib/server/door/body';
import { onRehearsal, refusedRehearsal } from '$lib/server/rehearsal/answers';
import { wishFor } from '$lib/server/rehearsal/rehearsals';

export const GET: RequestHandler = ({ params }) =>
  onRehearsal(params, async (_job, rehearsal) => json(rehearsal));

/** Asks something of it; what can't be at this moment is refused with the reason. */
export const PUT: RequestHandler = ({ request, params }) =>
  onRehearsal(params, async (job, { id }) => {
    const body = await readBody(request, 'rehearsal-wish');
    if (!body.ok) return body.response;
    const done = await wishFor(job.number, id, body.value.wish);
    return done.ok ? json(done.value) : refusedRehearsal(done.problems);
  });
