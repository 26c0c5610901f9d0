import type { RequestHandler } from '@sveltejs/kit';
import { csvOf } from '$core/survey';
import { onJob } from '$lib/server/answers';
import { problem } from '$lib/server/problem';

/** The newest survey as a table of its partitions (RFC 4180). */
export const GET: RequestHandler = ({ params }) =>
  onJob(params['number'], async (job) =>
    job.survey
      ? new Response(csvOf(job.survey.document), {
          headers: { 'content-type': 'text/csv; charset=utf-8; header=present' },
        })
      : problem(404, `Job ${job.number} has no survey yet.`),
  );
