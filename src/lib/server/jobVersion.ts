import { change, rows, transaction, type Db } from './database';
import { record } from './history/history';
import { updateStage } from './stage';
import { StaleCopy } from './staleCopy';

/** There is no job of that number. */
export class NoSuchJob extends Error {}

/**
 * Raises the job's version from the one that was read, or refuses. What `work` does, the raise and the sentence that
 * it returns for the history are saved together. @throws NoSuchJob, StaleCopy
 */
export async function withJobVersion(
  number: number,
  version: number,
  work: (db: Db, jobId: number) => Promise<string>,
): Promise<number> {
  return transaction(async (db) => {
    const job = await locked(db, number);
    if (job.version !== version) throw new StaleCopy(job.version);
    await record(db, job.id, await work(db, job.id));
    await updateStage(db, job.id);
    await change(db, 'UPDATE jobs SET version = version + 1, updated_at = UTC_TIMESTAMP(3) WHERE id = ?', [
      job.id,
    ]);
    return version + 1;
  });
}

/** A job's row, kept from others until the transaction ends. @throws NoSuchJob */
export async function locked(db: Db, number: number): Promise<{ id: number; version: number }> {
  const [job] = await rows<{ id: number; version: number }>(
    db,
    'SELECT id, version FROM jobs WHERE number = ? FOR UPDATE',
    [number],
  );
  if (!job) throw new NoSuchJob();
  return job;
}
