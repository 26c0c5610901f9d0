import { redirect } from '@sveltejs/kit';
import { database } from '$lib/server/store/database/database';
import { fillingsOf } from '$lib/server/work/surveys/fillings';
import { readWorkshop } from '$lib/server/work/workshop/workshop';
import type { PageServerLoad } from './$types';

/** There is nothing to ask for before a target is chosen on a survey. */
export const load: PageServerLoad = async ({ parent, params }) => {
  const { job } = await parent();
  if (!job.survey || !job.target) redirect(307, `/jobs/${params.number}/survey`);
  const fillings = await fillingsOf(database(), job.survey.document, job.target.disk);
  return { ...(await readWorkshop()), fillings };
};
