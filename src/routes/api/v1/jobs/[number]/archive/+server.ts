import type { RequestHandler } from '@sveltejs/kit';
import { onJob } from '$lib/server/answers';
import { readBody } from '$lib/server/door/body';
import { archiveJob } from '$lib/server/jobs';

/** Puts a job away, or takes it out again. */
export const PUT: RequestHandler = ({ request, params }) =>
  onJob(params['number'], async (job) => {
    const body = await readBody(request, 'archive-job');
    return body.ok ? archiveJob(job.number, body.value.version, body.value.archived) : body.response;
  });
