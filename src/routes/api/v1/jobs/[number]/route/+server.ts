import type { RequestHandler } from '@sveltejs/kit';
import { onJob } from '$lib/server/answers';
import { readBody } from '$lib/server/door/body';
import { chooseRoute } from '$lib/server/goals';

/** Chooses one of the routes found. */
export const PUT: RequestHandler = ({ request, params }) =>
  onJob(params['number'], async (job) => {
    const body = await readBody(request, 'choose-route');
    return body.ok ? chooseRoute(job.number, body.value.version, body.value.chosen) : body.response;
  });
