import { COLLECTOR } from '$lib/server/collector';
import { imagesFolder } from '$lib/server/images/folder';
import { imagesInUse } from '$lib/server/images/use';
import { listSurveys } from '$lib/server/surveys';
import type { PageServerLoad } from './$types';

/** All surveys of the job, so that the screen can lead to those before the newest, the script, and the images on the server. */
export const load: PageServerLoad = async ({ parent }) => {
  const { job } = await parent();
  const { name, sha256 } = COLLECTOR;
  const folder = { folder: imagesFolder(), ...(await imagesInUse()) };
  return { surveys: await listSurveys(job.number), collector: { name, sha256 }, server: folder };
};
