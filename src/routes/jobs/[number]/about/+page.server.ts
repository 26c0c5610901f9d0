import { historyOf } from '$lib/server/store/history/history';
import type { PageServerLoad } from './$types';

/** What is known of the job besides its disks, and everything that was done on it. */
export const load: PageServerLoad = async ({ parent }) => {
  const { job } = await parent();
  return { history: await historyOf(job.number) };
};
