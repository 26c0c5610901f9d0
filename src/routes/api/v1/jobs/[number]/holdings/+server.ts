import type { RequestHandler } from '@sveltejs/kit';
import { onJob } from '$lib/server/answers';
import { readBody } from '$lib/server/door/body';
import { holdingsDocument, saveHoldings, weighed } from '$lib/server/holdings';
import { under } from '$lib/server/paths';
import { badInput, problem } from '$lib/server/problem';

export const PUT: RequestHandler = ({ request, params }) =>
  onJob(params['number'], async (job) => {
    const body = await readBody(request, 'save-holdings');
    if (!body.ok) return body.response;
    if (!job.survey)
      return problem(422, 'This job has no survey yet. Give it one first, then what fills it.');
    const found = await weighed(job.survey.document, body.value.holdings);
    if (!found.ok) return badInput(under('/holdings', found.problems));
    return saveHoldings(job.number, body.value.version, job.survey.id, found.value);
  });

/** What fills the volumes of the newest survey, just as it is kept. */
export const GET: RequestHandler = ({ params }) =>
  onJob(params['number'], async (job) => {
    const document = job.survey && (await holdingsDocument(job.survey.id));
    if (!document) return problem(404, `It is not known yet what fills the volumes of job ${job.number}.`);
    return new Response(document, { headers: { 'content-type': 'application/json' } });
  });
