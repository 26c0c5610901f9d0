import { redirect } from '@sveltejs/kit';
import { listDrawings } from '$lib/server/work/drawings/drawings';
import { readWorkshop } from '$lib/server/work/workshop/workshop';
import type { PageServerLoad } from './$types';

/** There is nothing to diagnose before a target is chosen on a survey. */
export const load: PageServerLoad = async ({ parent, params }) => {
  const { job } = await parent();
  if (!job.survey || !job.target) redirect(307, `/jobs/${params.number}/survey`);
  return { ...(await readWorkshop()), drawings: await listDrawings(job.number) };
};
