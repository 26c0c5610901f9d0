import type { Problem } from '$core/problem';
import { jobNumber, named, onJob } from '../answers';
import type { Job } from '../jobs';
import { badInput, problem } from '../problem';
import { findRehearsal, type Rehearsal } from './rehearsals';

export const noRehearsal = (job: number, id: string | undefined): Response =>
  problem(404, `Job ${job} has no rehearsal ${named(id)}.`);

/** Runs `work` on a rehearsal of a job; one that is not there becomes a problem document. */
export const onRehearsal = (
  params: Partial<Record<string, string>>,
  work: (job: Job, rehearsal: Rehearsal) => Promise<Response>,
): Promise<Response> =>
  onJob(params['number'], async (job) => {
    const rehearsal = await findRehearsal(job.number, jobNumber(params['id']) ?? 0);
    return rehearsal ? work(job, rehearsal) : noRehearsal(job.number, params['id']);
  });

/** What is not possible as things stand is a conflict; all else is bad input. */
export function refusedRehearsal(problems: Problem[]): Response {
  const [first] = problems;
  const conflict = first && ['under-way', 'not-now', 'stale', 'in-use', 'begun', 'gone'].includes(first.code);
  if (!conflict) return badInput(problems);
  const { path, message } = first;
  return problem(409, message, path ? { errors: [{ path, message }] } : {});
}
