import { refuse } from '$contract/problems';
import { success, type Outcome } from '$core/problem';
import { change, rows, transaction, type Db } from '../../store/database/database';
import { record } from '../../store/history/history';
import { updateStage } from './stage';

/**
 * Raises the job's version from the one that was read, or refuses. What `work` does, the raise and the sentence that it
 * returns for the history are saved together, or not at all. Refusals: `no-job`, `stale-job`, and those of `work`.
 * @returns the new version
 */
export const withJobVersion = (
  number: number,
  version: number,
  work: (db: Db, jobId: number) => Promise<string | (Outcome<string> & { ok: false })>,
): Promise<Outcome<number>> =>
  transaction(async (db): Promise<Outcome<number>> => {
    const job = await lockJob(db, number);
    if (!job) return refuse('no-job', { number });
    if (job.version !== version) return refuse('stale-job', undefined, { details: { current: job.version } });
    const sentence = await work(db, job.id);
    if (typeof sentence !== 'string') return sentence;
    await record(db, job.id, sentence);
    await updateStage(db, job.id);
    await change(db, 'UPDATE jobs SET version = version + 1, updated_at = UTC_TIMESTAMP(3) WHERE id = ?', [
      job.id,
    ]);
    return success(version + 1);
  });

/** A job's row, locked until the transaction ends; null: there is no such job. */
export async function lockJob(db: Db, number: number): Promise<{ id: number; version: number } | null> {
  const [job] = await rows<{ id: number; version: number }>(
    db,
    'SELECT id, version FROM jobs WHERE number = ? FOR UPDATE',
    [number],
  );
  return job ?? null;
}
