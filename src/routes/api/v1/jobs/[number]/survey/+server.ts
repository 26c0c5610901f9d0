import { json, type RequestHandler } from '@sveltejs/kit';
import { checkSurvey } from '$core/survey';
import { onJob } from '$lib/server/answers';
import { readBody } from '$lib/server/door/body';
import { carriedOver, weighed } from '$lib/server/holdings';
import { saveSurvey } from '$lib/server/jobs';
import { under } from '$lib/server/paths';
import { badInput, problem } from '$lib/server/problem';

export const PUT: RequestHandler = ({ request, params }) =>
  onJob(params['number'], async (job) => {
    const body = await readBody(request, 'save-survey');
    if (!body.ok) return body.response;
    const { version, survey, source, holdings } = body.value;
    const problems = checkSurvey(survey);
    if (problems.length > 0) return badInput(under('/survey', problems));
    const found = holdings ? await weighed(survey, holdings) : null;
    if (found && !found.ok) return badInput(under('/holdings', found.problems));
    const kept = found ? { holdings: found.value } : ((await carriedOver(job, survey)) ?? {});
    return saveSurvey(job.number, version, survey, source, kept);
  });

/** The newest survey document, just as it was given. */
export const GET: RequestHandler = ({ params }) =>
  onJob(params['number'], async (job) =>
    job.survey ? json(job.survey.document) : problem(404, `Job ${job.number} has no survey yet.`),
  );
