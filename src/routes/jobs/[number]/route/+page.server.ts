import { redirect } from '@sveltejs/kit';
import { listDrawings } from '$lib/server/work/drawings/drawings';
import { readWorkshop } from '$lib/server/work/workshop/workshop';
import type { PageServerLoad } from './$types';

/** A route is shown for the survey and the target it was planned on, stale or not. */
export const load: PageServerLoad = async ({ parent, params }) => {
  const { job } = await parent();
  if (!job.survey || !job.target) redirect(307, `/jobs/${params.number}/survey`);
  if (!job.goal || !job.answer?.routes[0]) redirect(307, `/jobs/${params.number}/target`);
  return { ...(await readWorkshop()), drawings: await listDrawings(job.number) };
};
