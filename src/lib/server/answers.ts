import { json } from '@sveltejs/kit';
import { firstCharacters, wellFormed } from '$core/wellFormed';
import { findJob, ImageAtWork, NoSuchTarget, type Job } from './jobs';
import { NoSuchRoute } from './goals';
import { NoSuchJob } from './jobVersion';
import { StaleCopy } from './staleCopy';
import { problem } from './problem';

/** The job number of an address, or null where the text is none. */
export const jobNumber = (text: string | undefined): number | null =>
  text !== undefined && /^\d{1,9}$/.test(text) ? Number(text) : null;

/** What an address named, shortly, for the sentence that says that it is not there. */
export const named = (text: string | undefined): string => firstCharacters(wellFormed(text ?? ''), 40);

export const noSuchJob = (text: string | undefined): Response =>
  problem(404, `There is no job ${named(text)}. The list of jobs shows which there are.`);

/** A drawing is for a kit that nobody has described. */
export const noKit = (kit: string): Response => {
  const message = `There is no kit “${named(kit)}” in this workshop. Its settings show which there are.`;
  return problem(422, message, { errors: [{ path: '/kit', message }] });
};

/** Runs `work` on an existing job and turns what can go wrong with a save into problem documents. */
export async function onJob(
  text: string | undefined,
  work: (job: Job) => Promise<number | Response>,
): Promise<Response> {
  const number = jobNumber(text);
  const job = number === null ? null : await findJob(number);
  if (!job) return noSuchJob(text);
  try {
    const result = await work(job);
    return result instanceof Response ? result : json({ number: job.number, version: result });
  } catch (error) {
    if (error instanceof StaleCopy) {
      return problem(
        409,
        'This job was saved by somebody else after it was opened here. Nothing was overwritten.',
        {
          current: error.current,
        },
      );
    }
    if (error instanceof NoSuchJob) return noSuchJob(text);
    if (error instanceof ImageAtWork) return problem(409, error.message);
    if (error instanceof NoSuchTarget) {
      return problem(422, 'The survey has no such partition.', {
        errors: [{ path: '/partition', message: 'The survey has no such partition.' }],
      });
    }
    if (error instanceof NoSuchRoute) {
      const message = 'The answer has no route in that place.';
      return problem(422, message, { errors: [{ path: '/chosen', message }] });
    }
    throw error;
  }
}
