import { MAX_PAGE, type Job, type JOBS } from '$contract/jobs';
import { refuse } from '$contract/problems';
import { failure, success, type Outcome } from '$core/problem';
import { historyOf, readWorkshopHistory, withHolds } from '../../store/history/history';
import { exportJob } from '../../work/jobFile/exportJob';
import { importJob } from '../../work/jobFile/importJob';
import { archiveJob, createJob, deleteJob, saveDetails } from '../../work/jobs/changeJob';
import { findWholeJob } from '../../work/jobs/findJob';
import { listJobs, queryOf } from '../../work/jobs/jobList';
import type { HandlersOf } from '../runner/endpoint';
import { fileResponse } from '../runner/fileResponse';
import { answerSaved } from './savedJob';

export const JOB_HANDLERS = {
  'GET /jobs': async ({ event }) => success(await listJobs(queryOf(event.url.searchParams, MAX_PAGE))),
  'POST /jobs': async ({ body }) =>
    success({ number: await createJob(body.customer.trim(), body.machine.trim()), version: 1 }),
  'GET /jobs/{number}': async ({ params, typed }) => {
    const job: (Job & { surveyId?: unknown }) | null = await findWholeJob(params.number);
    if (!job) return refuse('no-job', { number: typed.number });
    delete job.surveyId;
    return success(job);
  },
  'PUT /jobs/{number}': ({ params: { number }, body: { version, customer, machine, notes, due } }) =>
    answerSaved(
      number,
      saveDetails(number, version, { customer: customer.trim(), machine: machine.trim(), notes, due }),
    ),
  'DELETE /jobs/{number}': async ({ params, query }): Promise<Outcome<null>> =>
    query.version === undefined ? refuse('no-version') : deleteJob(params.number, query.version),
  'POST /jobs/import': async ({ body }) => {
    const job = await importJob(body);
    return job.ok ? success({ number: job.value.number, version: 1 }) : failure(...job.problems);
  },
  'PUT /jobs/{number}/archive': ({ params: { number }, body: { version, archived } }) =>
    answerSaved(number, archiveJob(number, version, archived)),
  'GET /jobs/{number}/history': async ({ params }) => success(withHolds(await historyOf(params.number))),
  'GET /history': async () => success(withHolds(await readWorkshopHistory())),
  'GET /jobs/{number}/export': async ({ params: { number } }) => {
    const packed = await exportJob(number);
    return packed
      ? success(fileResponse(packed, 'application/zip', `job-${number}.zip`, 'attachment'))
      : refuse('no-job', { number });
  },
} satisfies HandlersOf<typeof JOBS>;
