import { json, type RequestHandler } from '@sveltejs/kit';
import { readRaw } from '$lib/server/door/rawBody';
import { importJob } from '$lib/server/jobFile/importJob';
import { MOST_PACKED } from '$lib/server/jobFile/unpack';
import { badInput } from '$lib/server/problem';

/** Takes over a job that another bench exported, under the next free number. */
export const POST: RequestHandler = async ({ request }) => {
  const packed = await readRaw(request, 'application/zip', MOST_PACKED);
  if (!packed.ok) return packed.response;
  const job = await importJob(packed.value);
  if (!job.ok) return badInput(job.problems);
  const { number } = job.value;
  return json({ number, version: 1 }, { status: 201, headers: { location: `/api/v1/jobs/${number}` } });
};
