import { json, type RequestHandler } from '@sveltejs/kit';
import { onJob } from '$lib/server/answers';
import { readBody } from '$lib/server/door/body';
import { readWorkshop } from '$lib/server/workshop';
import { refusedRehearsal } from '$lib/server/rehearsal/answers';
import { findRehearsal, listRehearsals } from '$lib/server/rehearsal/rehearsals';
import { startRehearsal } from '$lib/server/rehearsal/start';

export const GET: RequestHandler = ({ params }) =>
  onJob(params['number'], async (job) => json(await listRehearsals(job.number)));

/** Puts the chosen route into the queue; one that went stale or can't be rehearsed is refused with the reason. */
export const POST: RequestHandler = ({ request, params }) =>
  onJob(params['number'], async (job) => {
    const body = await readBody(request, 'start-rehearsal');
    if (!body.ok) return body.response;
    const started = await startRehearsal(job, body.value, (await readWorkshop()).workshop);
    if (!started.ok) return refusedRehearsal(started.problems);
    return json(await findRehearsal(job.number, started.value), { status: 201 });
  });
