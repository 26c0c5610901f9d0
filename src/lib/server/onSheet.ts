import { jobNumber, named, onJob } from './answers';
import { findDrawing } from './drawings';
import type { Job } from './jobs';
import type { Heading } from './paper/paper';
import { problem } from './problem';
import { findSheet, NoSuchSheet, type SavedSheet } from './sheets';
import { staleSheet, type Stale } from './staleSheet';

/** Why a sheet of this job must not be worked from any more, or null. */
export const whyStale = async (job: Job, sheet: SavedSheet): Promise<Stale | null> =>
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

/** A sheet that waits for a word is not handed out, nor ticked. @param paper neither is one that ended with a failed step */
export const refuseStale = ({ why, word }: Stale, paper: boolean): Response | null =>
  word === 'wanted' || (paper && word === 'no')
    ? problem(409, why, { title: 'This sheet no longer holds' })
    : null;

/** Hands a sheet out on paper; one whose figures no longer hold is refused with the reason. */
export const onPaper = (
  params: Partial<Record<string, string>>,
  url: URL,
  work: (sheet: SavedSheet, heading: Heading) => Promise<Response>,
): Promise<Response> =>
  onSheet(params, async (job, sheet) => {
    const stale = await whyStale(job, sheet);
    const refused = stale && refuseStale(stale, true);
    if (refused) return refused;
    const { number, customer, machine } = job;
    const address = `${url.origin}/jobs/${number}/sheet`;
    return work(sheet, {
      job: number,
      customer,
      machine,
      address,
      made: sheet.createdAt,
      rehearsed: sheet.rehearsed,
      despite: stale && `Worked from all the same: ${stale.why}`,
    });
  });
