import { json, type RequestHandler } from '@sveltejs/kit';
import { onJob } from '$lib/server/answers';
import { historyOf, withHolds } from '$lib/server/history/history';

/** Everything that was done on the job, oldest first; of each entry whether its seal holds. */
export const GET: RequestHandler = ({ params }) =>
  onJob(params['number'], async (job) => json(withHolds(await historyOf(job.number))));
