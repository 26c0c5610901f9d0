import type { RequestHandler } from '@sveltejs/kit';
import { onJob } from '$lib/server/answers';
import { readBody } from '$lib/server/door/body';
import { saveTarget } from '$lib/server/jobs';

export const PUT: RequestHandler = ({ request, params }) =>
  onJob(params['number'], async (job) => {
    const body = await readBody(request, 'save-target');
    if (!body.ok) return body.response;
    const { version, disk, partition } = body.value;
    return saveTarget(job.number, version, { disk, partition });
  });
