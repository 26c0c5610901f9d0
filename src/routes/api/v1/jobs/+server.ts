import { json, type RequestHandler } from '@sveltejs/kit';
import { readBody } from '$lib/server/door/body';
import { listJobs, queryOf } from '$lib/server/jobList';
import { createJob } from '$lib/server/jobs';

/** A page of the jobs: `q`, `stage`, `show`, `sort`, `page`, `size`. */
export const GET: RequestHandler = async ({ url }) => json(await listJobs(queryOf(url.searchParams, 200)));

export const POST: RequestHandler = async ({ request }) => {
  const body = await readBody(request, 'new-job');
  if (!body.ok) return body.response;
  const number = await createJob(body.value.customer.trim(), body.value.machine.trim());
  return json({ number, version: 1 }, { status: 201, headers: { location: `/api/v1/jobs/${number}` } });
};
