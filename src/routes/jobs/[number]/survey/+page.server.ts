import { COLLECTOR } from '$lib/server/collector';
import { database } from '$lib/server/store/database/database';
import { fillingsOf } from '$lib/server/work/surveys/fillings';
import { getImagesFolder } from '$lib/server/platform/imageNames';
import { findImagesInUse } from '$lib/server/work/images/use';
import { findEarlierJobs } from '$lib/server/work/surveys/machines';
import { listSurveys } from '$lib/server/work/surveys/surveys';
import type { PageServerLoad } from './$types';

/** All surveys of the job, earlier jobs of its machine, the script, and the images on the server. */
export const load: PageServerLoad = async ({ parent }) => {
  const { job } = await parent();
  const { name, sha256 } = COLLECTOR;
  const folder = { folder: getImagesFolder(), ...(await findImagesInUse()) };
  const fillings =
    job.survey && job.target ? await fillingsOf(database(), job.survey.document, job.target.disk) : [];
  return {
    surveys: await listSurveys(job.number),
    before: await findEarlierJobs(job.number),
    fillings: fillings.filter((one) => one.partition === job.target?.partition),
    collector: { name, sha256 },
    server: folder,
  };
};
