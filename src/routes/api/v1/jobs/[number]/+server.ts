import { json, type RequestHandler } from '@sveltejs/kit';
import { onJob } from '$lib/server/answers';
import { readBody } from '$lib/server/door/body';
import { deleteJob, saveDetails } from '$lib/server/jobs';
import { badInput } from '$lib/server/problem';

export const GET: RequestHandler = ({ params }) => onJob(params['number'], async (job) => json(job));

/** Changes what is said of the job besides its disks. */
export const PUT: RequestHandler = ({ request, params }) =>
  onJob(params['number'], async (job) => {
    const body = await readBody(request, 'job-details');
    if (!body.ok) return body.response;
    const { version, customer, machine, notes, due } = body.value;
    return saveDetails(job.number, version, {
      customer: customer.trim(),
      machine: machine.trim(),
      notes,
      due,
    });
  });

/** Deletes the job with everything that belongs to it. The version says that it was looked at. */
export const DELETE: RequestHandler = ({ url, params }) =>
  onJob(params['number'], async (job) => {
    const version = Number(url.searchParams.get('version'));
    if (!Number.isInteger(version) || version < 1) {
      return badInput([
        { path: '/version', message: 'Say which version of the job is to be deleted (?version=…).' },
      ]);
    }
    await deleteJob(job.number, version);
    return new Response(null, { status: 204 });
  });
