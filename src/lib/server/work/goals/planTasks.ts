import { DiagnosisRequestFile, RoutesRequestFile } from '$contract/goals';
import type { Document } from '$contract/endpoint';
import { diagnose } from '$core/diagnosis';
import { planRoutes, type RoutesRequest } from '$core/planning';
import { failure, under, type Outcome } from '$core/problem';
import { checkSurvey, type SurveyDocument } from '$core/survey';
import type { Static, TSchema } from 'typebox';
import { defineTask } from '../../platform/threads/task';
import { asText, checkBody } from '../../platform/validation/checkBody';

/** A body with a survey in it, checked, and what is made of it. */
function answerBody<S extends TSchema>(
  bytes: Uint8Array,
  { name }: Document<S>,
  work: (body: Static<S>) => Outcome<unknown>,
): Outcome<string> {
  const body = checkBody(bytes, name);
  if (!body.ok) return body;
  const problems = checkSurvey((body.value as { survey: SurveyDocument }).survey);
  return problems.length > 0 ? failure(...under('/survey', problems)) : asText(work(body.value as Static<S>));
}

export const routesTask = defineTask('routes', (bytes: Uint8Array, cancelled) =>
  answerBody(bytes, RoutesRequestFile, (request) => planRoutes(request, { cancelled })),
);
export const diagnosisTask = defineTask('diagnosis', (bytes: Uint8Array) =>
  answerBody(bytes, DiagnosisRequestFile, diagnose),
);
/** Plans what is in the database already; the planner stops itself after two seconds. */
export const planTask = defineTask('plan', (request: RoutesRequest, cancelled) =>
  planRoutes(request, { cancelled }),
);
