import { redirect } from '@sveltejs/kit';
import type { PageServerLoad } from './$types';

/** Without a survey there is nothing to be filled. What fills it is fetched by the page: the document may be large. */
export const load: PageServerLoad = async ({ parent, params }) => {
  const { job } = await parent();
  if (!job.survey) redirect(307, `/jobs/${params.number}/survey`);
};
