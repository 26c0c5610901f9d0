import type { RequestHandler } from '@sveltejs/kit';
import { onJob } from '$lib/server/answers';
import { file } from '$lib/server/file';
import { exportJob } from '$lib/server/jobFile/exportJob';

/** The whole job as one file, to go to another bench. */
export const GET: RequestHandler = ({ params }) =>
  onJob(params['number'], async (job) =>
    file((await exportJob(job.number))!, 'application/zip', `job-${job.number}.zip`, 'attachment'),
  );
