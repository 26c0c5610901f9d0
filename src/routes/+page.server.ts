import { listJobs, queryOf } from '$lib/server/work/jobs/jobList';
import type { PageServerLoad } from './$types';

/** Jobs on a page of the screen. */
const PAGE = 25;

export const load: PageServerLoad = async ({ url }) => {
  const query = queryOf(url.searchParams, PAGE);
  return { query, ...(await listJobs(query)) };
};
