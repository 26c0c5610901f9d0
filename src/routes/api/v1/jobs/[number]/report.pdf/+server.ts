import type { RequestHandler } from '@sveltejs/kit';
import { onJob } from '$lib/server/answers';
import { file } from '$lib/server/file';
import { paperOf } from '$lib/server/paper/paper';
import { problem } from '$lib/server/problem';
import { reportFor } from '$lib/server/report';
import { aside } from '$lib/server/threads/aside';

/** What was done and proved, on one page in plain words, for the machine's owner. */
export const GET: RequestHandler = ({ params, url }) =>
  onJob(params['number'], async (job) => {
    const report = await reportFor(job);
    if (!report)
      return problem(404, 'There is nothing to report yet: survey the machine after the work first.');
    const address = `${url.origin}/jobs/${job.number}`;
    const pdf = await aside('reportPdf', { report, address, paper: paperOf(url) });
    return file(pdf, 'application/pdf', `report-${job.number}.pdf`, 'inline');
  });
