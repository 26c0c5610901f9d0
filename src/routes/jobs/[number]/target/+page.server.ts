import { redirect } from '@sveltejs/kit';
import { readWorkshop } from '$lib/server/workshop';
import type { PageServerLoad } from './$types';

/** There is nothing to ask for before a target is chosen on a survey. */
export const load: PageServerLoad = async ({ parent, params }) => {
  const { job } = await parent();
  if (!job.survey || !job.target) redirect(307, `/jobs/${params.number}/survey`);
  return await readWorkshop();
};
