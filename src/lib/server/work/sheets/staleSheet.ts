import { findDrawing } from '../drawings/drawings';
import { refuse } from '$contract/problems';
import { success, type Outcome } from '$core/problem';
import type { SavedDrawing } from '$contract/drawings';
import type { Job } from '$contract/jobs';
import type { SavedSheet } from '$contract/sheets';
import { formatSize, MIB } from '$core/units';
import { progressOf } from '$core/worksheet';
import { change, transaction } from '../../store/database/database';
import { record } from '../../store/history/history';
import { differenceIn } from '../version/difference';
import { lockJob } from '../version/jobVersion';
import { listPreparations, routeDrawn } from './sheets';

/** Why a sheet must not be worked from. */
export interface Stale {
  why: string;
  /**
   * Whether somebody may say that it is worked from all the same: `no` where a step failed; `wanted`: ticking and
   * printing wait for it; `given`: somebody did.
   */
  word: 'no' | 'wanted' | 'given';
  /** Digest of the compared state: a confirmation holds for exactly this. */
  against: string;
}

/** Parts of a job that a sheet is compared with. */
export type StalePart = 'goal' | 'answer' | 'holdings';
type StaleJob = Pick<Job, 'number' | 'chosen' | 'target' | StalePart> & { surveyId: number | null };

/** Why a sheet must not be worked from any more, or null. @param drawing the one that it was made of */
export function findStaleReason(
  job: StaleJob,
  sheet: SavedSheet,
  drawing: SavedDrawing | null,
): Stale | null {
  const { failed, done, items } = progressOf(sheet.document, sheet.ticks);
  const newer = job.surveyId !== sheet.surveyId;
  if (failed && !newer) {
    const why = `“${failed.title}” failed. Survey the machine as it is now, and plan on from there.`;
    return { why, word: 'no', against: '' };
  }
  // A sheet that was worked off is what was done, whatever is planned next.
  const over = sheet.ticks.length > 0 && done === items.length;
  const why = newer
    ? 'A newer survey came since this sheet was made: its figures may not hold any more. Plan on from the new survey.'
    : over
      ? null
      : whyChanged(job, sheet, drawing);
  if (why === null) return null;
  const against = [
    job.surveyId,
    job.goal?.id,
    job.chosen,
    drawing?.edition,
    listPreparations(job).length,
  ].join(' ');
  return { why, word: sheet.despite === against ? 'given' : 'wanted', against };
}

/** The same, with the drawing looked for. */
export const findStale = async (job: StaleJob, sheet: SavedSheet): Promise<Stale | null> =>
  findStaleReason(
    job,
    sheet,
    sheet.origin.kind === 'drawing' ? await findDrawing(job.number, sheet.origin.id) : null,
  );

/** Differences between the plan now and the plan of the sheet. */
function whyChanged(job: StaleJob, sheet: SavedSheet, drawing: SavedDrawing | null): string | null {
  const { origin, made, document } = sheet;
  const { goal, target } = job;
  if (differenceIn(made.first, listPreparations(job)) !== null)
    return 'What is to be freed first was chosen anew since this sheet was made. Make a new one.';
  if (origin.kind === 'drawing') {
    return drawing && drawing.edition !== origin.edition
      ? 'The drawing was changed since this sheet was made of it. Make a new one.'
      : null;
  }
  if (target && (target.disk !== document.disk.number || target.partition !== document.target.partition))
    return `Another volume is the target by now; this sheet is about ${document.target.name}.`;
  if (goal && goal.id !== origin.goal && Math.abs(goal.size - document.target.to) >= MIB)
    return `This sheet leads to ${formatSize(document.target.to)}, and the goal of the job is ${formatSize(goal.size)} by now. Make a new sheet of its route.`;
  if (goal?.id !== origin.goal) {
    const now = routeDrawn(job.answer, job.chosen);
    // The same question with the same answer leads to the same sheet.
    return now && differenceIn(made.steps, now) === null
      ? null
      : 'Another goal was set since this sheet was made. Make a new one for its route.';
  }
  // Work on the machine is not undone by a change of tools or rates.
  if (goal.stale && sheet.ticks.length === 0)
    return 'The tools or the rates were changed since. Plan the route again.';
  return job.chosen === origin.chosen ? null : 'Another route was chosen since. Make a new sheet for it.';
}

/**
 * Somebody says that a sheet is worked from all the same. Refusal: `no-job`. @param against what they saw it held
 * against
 */
export const workDespite = (
  number: number,
  sheet: SavedSheet,
  against: string,
  why: string,
): Promise<Outcome<null>> =>
  transaction(async (db): Promise<Outcome<null>> => {
    const job = await lockJob(db, number);
    if (!job) return refuse('no-job', { number });
    const { id } = job;
    await change(db, 'UPDATE sheets SET despite = ? WHERE job_id = ? AND id = ?', [against, id, sheet.id]);
    await record(db, id, `The work sheet “${sheet.document.title}” is worked from all the same. ${why}`);
    return success(null);
  });
