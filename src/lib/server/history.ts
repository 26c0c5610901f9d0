import { createHash } from 'node:crypto';
import { change, database, rows, type Db } from './database';
import { person } from './requester';

/** Something that was done on a job. */
export interface HistoryEntry {
  at: Date;
  who: string;
  what: string;
  seal: string;
}

const FIRST = '0'.repeat(64);

/** What an entry is sealed with: anything changed, left out or put in between breaks the chain from there on. */
const sealOf = (before: string, { at, who, what }: Omit<HistoryEntry, 'seal'>): string =>
  createHash('sha256')
    .update(JSON.stringify([before, at.toISOString(), who, what]))
    .digest('hex');

/** Adds an entry, in the transaction that does what it tells of; the job's row must be locked. */
export async function record(
  db: Db,
  jobId: number,
  what: string,
  { at = new Date(), who = person() }: { at?: Date; who?: string } = {},
): Promise<void> {
  const [last] = await rows<{ seal: string }>(
    db,
    'SELECT seal FROM history WHERE job_id = ? ORDER BY id DESC LIMIT 1',
    [jobId],
  );
  const entry = { at, who, what };
  await change(db, 'INSERT INTO history (job_id, at, who, what, seal) VALUES (?, ?, ?, ?, ?)', [
    jobId,
    at,
    who,
    what,
    sealOf(last?.seal ?? FIRST, entry),
  ]);
}

/** Everything that was done on a job, oldest first. */
export const historyOf = (job: number): Promise<HistoryEntry[]> =>
  rows<HistoryEntry>(
    database(),
    `SELECT h.at, h.who, h.what, h.seal FROM history h JOIN jobs j ON j.id = h.job_id
      WHERE j.number = ? ORDER BY h.id`,
    [job],
  );

/** The place of the first entry that is not as it was written, counted from 0; null where all are. */
export function firstBroken(entries: readonly HistoryEntry[]): number | null {
  let before = FIRST;
  for (const [i, entry] of entries.entries()) {
    if (entry.seal !== sealOf(before, entry)) return i;
    before = entry.seal;
  }
  return null;
}
