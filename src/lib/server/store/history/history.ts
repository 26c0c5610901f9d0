import type { HistoryEntry } from '$contract/jobs';
import { change, database, insertMany, rows, type SqlValue, type Db } from '../database/database';
import { person } from '../../platform/requester';
import { isAdopted, setAdopted } from './workshopKey';
import { findBreach, FIRST, makeHeadSeal, makeNextHead, sealOf, type Breach, type ChainHead } from './chain';

/** A history with what is wrong with it. */
export interface CheckedHistory {
  /** Oldest first. */
  entries: HistoryEntry[];
  breach: Breach | null;
}

/**
 * Its entries, each with whether it is as it was written. A cut shows in none of them, so all of a history that was cut
 * are told as not holding.
 */
export const withHolds = ({ entries, breach }: CheckedHistory): (HistoryEntry & { holds: boolean })[] =>
  entries.map((entry, i) => ({ ...entry, holds: breach === null || (breach.at !== null && i < breach.at) }));

/** Each history is a chain of its own; an entry of one fits into no other. */
export const nameJobChain = (id: number): string => `job ${id}`;
const OF_WORKSHOP = 'bench';

/** Entry of the history. */
export interface NewEntry {
  what: string;
  at?: Date;
  who?: string;
}

/** Adds an entry, in the transaction that does what it tells of; the job's row must be locked. */
export const record = (db: Db, jobId: number, what: string): Promise<void> =>
  add(db, jobId, [{ what }], 'here');

/** The same with several entries at once. */
export const recordAll = (db: Db, jobId: number, list: readonly NewEntry[]): Promise<void> =>
  add(db, jobId, list, 'here');

/**
 * Keeps what another workshop tells of a job. Its own seals mean nothing here; those of this workshop say that it is as
 * it came.
 */
export const takeOverHistory = (db: Db, jobId: number, list: readonly NewEntry[]): Promise<void> =>
  add(db, jobId, list, 'elsewhere');

async function add(
  db: Db,
  jobId: number,
  list: readonly NewEntry[],
  kind: HistoryEntry['kind'],
): Promise<void> {
  const chain = nameJobChain(jobId);
  const [found] = await rows<ChainHead & { last: string | null }>(
    db,
    `SELECT history_count AS count, history_seal AS seal,
            (SELECT seal FROM history WHERE job_id = j.id ORDER BY id DESC LIMIT 1) AS last
       FROM jobs j WHERE id = ?`,
    [jobId],
  );
  let head: ChainHead = found!;
  let before = found!.last ?? FIRST;
  const entries = list.map(({ what, at = new Date(), who = person() }): SqlValue[] => {
    const seal = sealOf(chain, before, { at: at.toISOString(), who, what, kind });
    head = makeNextHead(chain, head, before, seal);
    before = seal;
    return [jobId, at, who, what, kind, seal];
  });
  await insertMany(db, 'history', 'job_id, at, who, what, kind, seal', entries);
  await change(db, 'UPDATE jobs SET history_count = ?, history_seal = ? WHERE id = ?', [
    head.count,
    head.seal,
    jobId,
  ]);
}

/** Everything that was done on a job. */
export async function historyOf(job: number): Promise<CheckedHistory> {
  const entries = await rows<HistoryEntry>(
    database(),
    `SELECT h.at, h.who, h.what, h.kind, h.seal FROM history h JOIN jobs j ON j.id = h.job_id
      WHERE j.number = ? ORDER BY h.id`,
    [job],
  );
  const [head] = await rows<ChainHead & { id: number }>(
    database(),
    'SELECT id, history_count AS count, history_seal AS seal FROM jobs WHERE number = ?',
    [job],
  );
  return { entries, breach: head ? findBreach(nameJobChain(head.id), entries, head) : null };
}

/** Adds an entry to what was done in the workshop as a whole, such as that a job was deleted. */
export async function recordAtWorkshop(db: Db, what: string): Promise<void> {
  const [head] = await rows<ChainHead>(
    db,
    'SELECT history_count AS count, history_seal AS seal FROM bench WHERE id = 1 FOR UPDATE',
  );
  const [last] = await rows<{ seal: string }>(db, 'SELECT seal FROM bench_history ORDER BY id DESC LIMIT 1');
  const before = last?.seal ?? FIRST;
  const at = new Date();
  const entry = { at: at.toISOString(), who: person(), what, kind: 'here' as const };
  const seal = sealOf(OF_WORKSHOP, before, entry);
  await change(db, 'INSERT INTO bench_history (at, who, what, seal) VALUES (?, ?, ?, ?)', [
    at,
    entry.who,
    what,
    seal,
  ]);
  const next = makeNextHead(OF_WORKSHOP, head!, before, seal);
  await change(db, 'UPDATE bench SET history_count = ?, history_seal = ? WHERE id = 1', [
    next.count,
    next.seal,
  ]);
}

/** Chain of what concerns the workshop as a whole. */
export async function readWorkshopHistory(): Promise<CheckedHistory> {
  const found = await rows<Omit<HistoryEntry, 'kind'>>(
    database(),
    'SELECT at, who, what, seal FROM bench_history ORDER BY id',
  );
  const [head] = await rows<ChainHead>(
    database(),
    'SELECT history_count AS count, history_seal AS seal FROM bench WHERE id = 1',
  );
  const entries = found.map((entry): HistoryEntry => ({ ...entry, kind: 'here' }));
  // A workshop that has done nothing yet has no seal either.
  const begun = entries.length > 0 || (head?.count ?? 0) > 0;
  return {
    entries,
    breach: begun ? findBreach(OF_WORKSHOP, entries, head ?? { count: 0, seal: null }) : null,
  };
}

/**
 * Gives the histories from before there was a key a head of their own: from then on nothing of them can be cut or
 * changed unseen. Done once in a database's life, since afterwards a missing head means that somebody took it away.
 */
export async function adoptHistories(name: string): Promise<void> {
  if (isAdopted(name)) return;
  const db = database();
  const jobs = await rows<{ id: number; count: number; last: string | null }>(
    db,
    `SELECT id, (SELECT COUNT(*) FROM history WHERE job_id = j.id) AS count,
            (SELECT seal FROM history WHERE job_id = j.id ORDER BY id DESC LIMIT 1) AS last
       FROM jobs j WHERE history_seal IS NULL`,
  );
  for (const { id, count, last } of jobs) {
    await change(db, 'UPDATE jobs SET history_count = ?, history_seal = ? WHERE id = ?', [
      count,
      makeHeadSeal(nameJobChain(id), count, last ?? FIRST),
      id,
    ]);
  }
  setAdopted(name);
}
