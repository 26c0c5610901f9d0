import { ALIVE } from '$contract/rehearsalStates';
import type { JobDetails } from '$contract/jobs';
import { refuse } from '$contract/problems';
import { success, type Outcome } from '$core/problem';
import { change, rows, transaction, type Db } from '../../store/database/database';
import { quoteList } from '../../store/database/sql';
import { record, recordAtWorkshop } from '../../store/history/history';
import { lockJob, withJobVersion } from '../version/jobVersion';

/** The next free number, or the wanted one, which later numbers then follow. */
export async function nextNumber(db: Db, wanted?: number): Promise<number> {
  const next = wanted === undefined ? 'LAST_INSERT_ID(last + 1)' : 'GREATEST(last, ?)';
  const counted = await change(
    db,
    `UPDATE counters SET last = ${next} WHERE name = 'job'`,
    wanted === undefined ? [] : [wanted],
  );
  return wanted ?? counted.insertId;
}

/** Adds a job, under the next free number where none is given; jobs added at once wait for each other. */
export async function createJob(customer: string, machine: string, wanted?: number): Promise<number> {
  return transaction(async (db) => {
    const number = await nextNumber(db, wanted);
    const { insertId } = await change(db, 'INSERT INTO jobs (number, customer, machine) VALUES (?, ?, ?)', [
      number,
      customer,
      machine,
    ]);
    await record(db, insertId, `Job added: ${customer}, ${machine}.`);
    return number;
  });
}

export async function saveDetails(
  number: number,
  version: number,
  details: JobDetails,
): Promise<Outcome<number>> {
  return withJobVersion(number, version, async (db, id) => {
    const { customer, machine, notes, due } = details;
    await change(db, 'UPDATE jobs SET customer = ?, machine = ?, notes = ?, due = ? WHERE id = ?', [
      customer,
      machine,
      notes,
      due,
      id,
    ]);
    return `Details changed: ${customer}, ${machine}, ${due === null ? 'no due date' : `due ${due}`}.`;
  });
}

/** Puts a job away, or takes it out again. */
export const archiveJob = (number: number, version: number, archived: boolean): Promise<Outcome<number>> =>
  withJobVersion(number, version, async (db, id) => {
    await change(db, 'UPDATE jobs SET archived = ? WHERE id = ?', [archived, id]);
    return archived ? 'Put into the archive.' : 'Taken out of the archive.';
  });

/** Deletes a job with everything that belongs to it. Refusals: `no-job`, `stale-job`, `job-on-image`. */
export const deleteJob = (number: number, version: number): Promise<Outcome<null>> =>
  transaction(async (db): Promise<Outcome<null>> => {
    const job = await lockJob(db, number);
    if (!job) return refuse('no-job', { number });
    if (job.version !== version) return refuse('stale-job', undefined, { details: { current: job.version } });
    // Only its journal knows where the bytes of an image are while it is worked on.
    const [run] = await rows<{ image: string }>(
      db,
      `SELECT image FROM rehearsals WHERE job_id = ? AND place <> 'stand-in' AND state IN (${quoteList(ALIVE)}) LIMIT 1 FOR UPDATE`,
      [job.id],
    );
    if (run) return refuse('job-on-image', { image: run.image });
    const [gone] = await rows<{ customer: string; machine: string; entries: number; seal: string | null }>(
      db,
      'SELECT customer, machine, history_count AS entries, history_seal AS seal FROM jobs WHERE id = ?',
      [job.id],
    );
    await change(db, 'DELETE FROM jobs WHERE id = ?', [job.id]);
    await recordAtWorkshop(
      db,
      `Job ${number} deleted: ${gone!.customer}, ${gone!.machine}. Its history had ${gone!.entries} entries, sealed ${gone!.seal?.slice(0, 16) ?? 'not at all'}.`,
    );
    return success(null);
  });
