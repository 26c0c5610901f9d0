import { json, type RequestHandler } from '@sveltejs/kit';
import { readBytes } from '$lib/server/body';
import { importJob } from '$lib/server/importJob';
import { badInput, problem } from '$lib/server/problem';
import { MOST_PACKED, unpackJob } from '$lib/server/unpack';

/** Takes over a job that another bench exported, under the next free number. */
export const POST: RequestHandler = async ({ request }) => {
  const type = request.headers.get('content-type')?.split(';')[0]?.trim().toLowerCase();
  if (type !== 'application/zip') {
    return problem(415, `Send the exported file (application/zip), not ${type ?? 'a body without a type'}.`);
  }
  const packed = await readBytes(request, MOST_PACKED);
  if (!packed) return problem(413, `The file is larger than ${MOST_PACKED / 1024 / 1024} MiB: no job is.`);
  const parts = unpackJob(packed);
  if (!parts.ok) return badInput(parts.problems);
  const job = await importJob(parts.value);
  if (!job.ok) return badInput(job.problems);
  const { number } = job.value;
  return json({ number, version: 1 }, { status: 201, headers: { location: `/api/v1/jobs/${number}` } });
};
