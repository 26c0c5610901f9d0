import { numberIn } from '$lib/server/web/runner/numberIn';
import { error, redirect } from '@sveltejs/kit';
import { findSurvey, listSurveys } from '$lib/server/work/surveys/surveys';
import type { PageServerLoad } from './$types';

/** Two surveys of the job: those asked for, else the newest and the one before it. */
export const load: PageServerLoad = async ({ parent, url }) => {
  const { job } = await parent();
  const surveys = await listSurveys(job.number);
  if (surveys.length === 0) redirect(307, `/jobs/${job.number}/survey`);
  const asked = (name: string) => numberIn(url.searchParams.get(name));
  const to = asked('to') || surveys[0]!.id;
  const from = asked('from') || (surveys.find((survey) => survey.id < to)?.id ?? to);
  const [before, after] = await Promise.all([findSurvey(job.number, from), findSurvey(job.number, to)]);
  if (!before || !after)
    error(404, {
      message: `Job ${job.number} has no such survey.`,
      hint: 'Its Survey screen lists those it has.',
    });
  return { surveys, from, to, before, after };
};
