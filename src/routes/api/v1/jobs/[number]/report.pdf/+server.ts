import type { RequestHandler } from '@sveltejs/kit';
import { onJob } from '$lib/server/answers';
import { file } from '$lib/server/file';
import { paperOf } from '$lib/server/paper/pdf';
import { reportPdf } from '$lib/server/paper/reportPaper';
import { problem } from '$lib/server/problem';
import { reportFor } from '$lib/server/report';

/** What was done and proved, on one page in plain words, for the machine's owner. */
export const GET: RequestHandler = ({ params, url }) =>
  onJob(params['number'], async (job) => {
    const report = await reportFor(job);
    if (!report)
      return problem(404, 'There is nothing to report yet: survey the machine after the work first.');
    const pdf = await reportPdf(report, `${url.origin}/jobs/${job.number}`, paperOf(url));
    return file(pdf, 'application/pdf', `report-${job.number}.pdf`, 'inline');
  });
