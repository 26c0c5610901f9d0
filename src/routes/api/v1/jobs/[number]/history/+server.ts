import { json, type RequestHandler } from '@sveltejs/kit';
import { onJob } from '$lib/server/answers';
import { historyOf } from '$lib/server/history';

/** Everything that was done on the job, oldest first. */
export const GET: RequestHandler = ({ params }) =>
  onJob(params['number'], async (job) => json(await historyOf(job.number)));
