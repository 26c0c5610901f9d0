import { json, type RequestHandler } from '@sveltejs/kit';
import { checkSurvey } from '$core/survey';
import { readBody } from '$lib/server/body';
import { planInThread } from '$lib/server/planner/plannerThread';
import { badInput } from '$lib/server/problem';
import { under } from '$lib/server/paths';

export const POST: RequestHandler = async ({ request }) => {
  const body = await readBody(request, 'routes-request');
  if (!body.ok) return body.response;
  const problems = checkSurvey(body.value.survey);
  if (problems.length > 0) return badInput(under('/survey', problems));
  const answer = await planInThread(body.value);
  return answer.ok ? json(answer.value) : badInput(answer.problems);
};
