import { jobNumber, named, onJob } from './answers';
import { findDrawing } from './drawings';
import type { Job } from './jobs';
import type { Heading } from './paper/paper';
import { problem } from './problem';
import { findSheet, NoSuchSheet, staleSheet, type SavedSheet } from './sheets';

/** Why a sheet of this job must not be worked from any more, or null. */
export const whyStale = async (job: Job, sheet: SavedSheet): Promise<string | null> =>
  staleSheet(
    job,
    sheet,
    sheet.origin.kind === 'drawing' ? await findDrawing(job.number, sheet.origin.id) : null,
  );

/** Runs `work` on a sheet of a job; a sheet or job that is not there becomes a problem document. */
export const onSheet = (
  params: Partial<Record<string, string>>,
  work: (job: Job, sheet: SavedSheet) => Promise<number | Response>,
): Promise<Response> =>
  onJob(params['number'], async (job) => {
    const none = () => problem(404, `Job ${job.number} has no work sheet ${named(params['id'])}.`);
    const sheet = await findSheet(job.number, jobNumber(params['id']) ?? 0);
    if (!sheet) return none();
    try {
      return await work(job, sheet);
    } catch (error) {
      if (error instanceof NoSuchSheet) return none();
      throw error;
    }
  });

/** Hands a sheet out on paper; one whose figures no longer hold is refused with the reason. */
export const onPaper = (
  params: Partial<Record<string, string>>,
  url: URL,
  work: (sheet: SavedSheet, heading: Heading) => Promise<Response>,
): Promise<Response> =>
  onSheet(params, async (job, sheet) => {
    const reason = await whyStale(job, sheet);
    if (reason) return problem(409, reason, { title: 'This sheet no longer holds' });
    const { number, customer, machine } = job;
    const address = `${url.origin}/jobs/${number}/sheet`;
    return work(sheet, {
      job: number,
      customer,
      machine,
      address,
      made: sheet.createdAt,
      rehearsed: sheet.rehearsed,
    });
  });
