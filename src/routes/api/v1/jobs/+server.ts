import { json, type RequestHandler } from '@sveltejs/kit';
import { readBody } from '$lib/server/body';
import { createJob, listJobs } from '$lib/server/jobs';
import { validate } from '$lib/server/schemas';

export const GET: RequestHandler = async () => json({ jobs: await listJobs() });

export const POST: RequestHandler = async ({ request }) => {
  const body = await readBody(request, validate.newJob);
  if (!body.ok) return body.response;
  const number = await createJob(body.value.customer.trim(), body.value.machine.trim());
  return json({ number, version: 1 }, { status: 201, headers: { location: `/api/v1/jobs/${number}` } });
};
