import { COLLECTOR } from '$lib/server/collector';
import { listSurveys } from '$lib/server/surveys';
import type { PageServerLoad } from './$types';

/** All surveys of the job, so that the screen can lead to those before the newest, and the script. */
export const load: PageServerLoad = async ({ parent }) => {
  const { job } = await parent();
  const { name, sha256 } = COLLECTOR;
  return { surveys: await listSurveys(job.number), collector: { name, sha256 } };
};
