import { json, type RequestHandler } from '@sveltejs/kit';
import { onJob } from '$lib/server/answers';
import { listSurveys } from '$lib/server/surveys';

/** All surveys of the job, newest first, without their documents. */
export const GET: RequestHandler = ({ params }) =>
  onJob(params['number'], async (job) => json(await listSurveys(job.number)));
