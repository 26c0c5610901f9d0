import { json, type RequestHandler } from '@sveltejs/kit';
import { jobNumber, named, onJob } from '$lib/server/answers';
import { problem } from '$lib/server/problem';
import { findSurvey } from '$lib/server/surveys';

/** One of the job's surveys, just as it was given. */
export const GET: RequestHandler = ({ params }) =>
  onJob(params['number'], async (job) => {
    const id = jobNumber(params['id']);
    const survey = id === null ? null : await findSurvey(job.number, id);
    return survey ? json(survey) : problem(404, `Job ${job.number} has no survey ${named(params['id'])}.`);
  });
