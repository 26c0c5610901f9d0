import type { RequestHandler } from '@sveltejs/kit';
import { onJob } from '$lib/server/answers';
import { readBody } from '$lib/server/door/body';
import { surveyingImage } from '$lib/server/images/survey';

/** Surveys an image of the server's folder for the job, and keeps the survey: how far it is comes line by line, then the answer. */
export const POST: RequestHandler = ({ request, params }) =>
  onJob(params['number'], async (job) => {
    const body = await readBody(request, 'survey-image');
    return body.ok ? surveyingImage(job, body.value) : body.response;
  });
