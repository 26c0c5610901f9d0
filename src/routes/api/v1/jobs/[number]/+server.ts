import { json, type RequestHandler } from '@sveltejs/kit';
import { jobNumber, noSuchJob } from '$lib/server/answers';
import { findJob } from '$lib/server/jobs';

export const GET: RequestHandler = async ({ params }) => {
  const number = jobNumber(params['number']);
  const job = number === null ? null : await findJob(number);
  return job ? json(job) : noSuchJob(params['number']);
};
