import { numberIn } from '$lib/server/web/runner/numberIn';
import { findWholeJob } from '$lib/server/work/jobs/findJob';
import { error } from '@sveltejs/kit';
import { machineOf } from '$core/survey';
import { describeDisk } from '$ui/words';
import type { LayoutServerLoad } from './$types';

export const load: LayoutServerLoad = async ({ params }) => {
  const job = await findWholeJob(numberIn(params.number));
  if (!job)
    error(404, {
      message: `There is no job ${params.number}.`,
      hint: 'The list of jobs shows which there are.',
    });
  const disk = job.survey && machineOf(job.survey.document).disks.find((d) => d.number === job.target?.disk);
  return { job, diskText: disk ? describeDisk(disk) : undefined };
};
