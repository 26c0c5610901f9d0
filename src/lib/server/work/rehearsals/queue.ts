import { ALIVE, type Pace, type RehearsalState, type RunPlace } from '$contract/rehearsalStates';
import { SheetSourceShape, type SheetSource } from '$contract/sheetSource';
import type { Rehearsal, RehearsalProgress } from '$contract/rehearsals';
import { describeCuts, type ExecutionProof, type Inventory } from '$core/executor';
import { RouteShape, type Route } from '$core/planning';
import type { SurveyDocument } from '$core/survey';
import { change, database, rows, transaction, type Db } from '../../store/database/database';
import { record } from '../../store/history/history';
import { lockJob } from '../version/jobVersion';
import { loadDocument, loadSurvey } from '../../store/documents/loadDocument';
import { quoteList } from '../../store/database/sql';
import { AT_FIRST } from './states';

/** Seconds after which a server that has not said that it runs a rehearsal is taken for gone. */
export const LEASE = 10;

/** A rehearsal that a server has taken. */
export interface TakenRehearsal {
  id: number;
  survey: SurveyDocument;
  disk: number;
  place: RunPlace;
  image: string | null;
  route: Route;
  source: SheetSource;
  next: 'forward' | 'back' | 'cancel';
  afterCut: boolean;
  pace: Pace;
  /** Extent of reading for its proof, of an image. */
  extent: Inventory['extent'];
  progress: RehearsalProgress;
}

/**
 * Takes the rehearsal that waits longest, or one whose server is gone, unless as many run as may.
 *
 * @param holder names the server
 */
export async function takeRehearsal(holder: string, atOnce: number): Promise<TakenRehearsal | null> {
  return transaction(async (db) => {
    // Whoever takes one waits for whoever is taking one, so that no more run than may.
    await rows(db, "SELECT last FROM counters WHERE name = 'rehearsals' FOR UPDATE");
    const [running] = await rows<{ count: number }>(
      db,
      `SELECT COUNT(*) AS count FROM rehearsals WHERE state = 'running' AND seen_at > UTC_TIMESTAMP(3) - INTERVAL ${LEASE} SECOND`,
    );
    if (Number(running!.count) >= atOnce) return null;
    const [row] = await rows<{ id: number; state: RehearsalState }>(
      db,
      `SELECT id, state FROM rehearsals
        WHERE state = 'waiting' OR (state = 'running' AND seen_at <= UTC_TIMESTAMP(3) - INTERVAL ${LEASE} SECOND)
        ORDER BY id LIMIT 1 FOR UPDATE SKIP LOCKED`,
    );
    if (!row) return null;
    await change(
      db,
      `UPDATE rehearsals SET state = 'running', holder = ?, seen_at = UTC_TIMESTAMP(3), changed_at = UTC_TIMESTAMP(3),
              after_cut = after_cut OR ? WHERE id = ?`,
      [holder, row.state === 'running' ? 1 : 0, row.id],
    );
    return takenOf(db, row.id);
  });
}

async function takenOf(db: Db, id: number): Promise<TakenRehearsal> {
  const [row] = await rows<{
    survey: string;
    disk: number;
    place: RunPlace;
    image: string | null;
    route: string;
    madeOf: string;
    next: TakenRehearsal['next'];
    afterCut: number;
    pace: Pace;
    extent: Inventory['extent'];
    progress: string;
  }>(
    db,
    `SELECT s.document AS survey, r.disk_number AS disk, r.place, r.image, r.route, r.made_of AS madeOf, r.next, r.after_cut AS afterCut, r.pace, r.extent, r.progress
       FROM rehearsals r JOIN surveys s ON s.id = r.survey_id WHERE r.id = ?`,
    [id],
  );
  const { survey, route, madeOf, progress, afterCut, ...rest } = row!;
  return {
    id,
    ...rest,
    afterCut: afterCut === 1,
    survey: loadSurvey(survey),
    route: loadDocument(route, RouteShape, 'The rehearsed route'),
    source: loadDocument(madeOf, SheetSourceShape, 'The source of the rehearsed route') as SheetSource,
    progress: { ...AT_FIRST, ...(JSON.parse(progress) as Partial<RehearsalProgress>) },
  };
}

/** Command to a rehearsal that this server runs; null: it is not this server's any more. */
export async function reportAlive(
  id: number,
  holder: string,
  progress: RehearsalProgress | null,
  room: number,
): Promise<{ wish: Rehearsal['wish']; pace: Pace } | null> {
  const db = database();
  const told = progress ? ', progress = ?, changed_at = UTC_TIMESTAMP(3)' : '';
  const { affectedRows } = await change(
    db,
    `UPDATE rehearsals SET seen_at = UTC_TIMESTAMP(3), room = ?${told} WHERE id = ? AND holder = ? AND state = 'running'`,
    [room, ...(progress ? [JSON.stringify(progress)] : []), id, holder],
  );
  if (affectedRows === 0) return null;
  const [row] = await rows<{ wish: Rehearsal['wish']; pace: Pace }>(
    db,
    'SELECT wish, pace FROM rehearsals WHERE id = ?',
    [id],
  );
  return row ?? null;
}

/** End of a run of this server. */
export type Ending =
  | { state: 'stepped-back' | 'cancelled' }
  /** `problem`: why it could not go on; it can be tried again, or taken back. */
  | { state: 'paused'; problem?: string }
  | { state: 'cut' }
  | { state: 'waiting'; next: TakenRehearsal['next'] }
  | { state: 'failed'; problem: string }
  | { state: 'ended'; proof: ExecutionProof };

/**
 * Keeps how it ended, with a line in the job's history where it is worth one. Nothing where it is not this server's any
 * more.
 */
export async function endRehearsal(
  id: number,
  holder: string,
  ending: Ending,
  progress: RehearsalProgress,
  room: number,
): Promise<void> {
  await transaction(async (db) => {
    const [row] = await rows<{ number: number; place: RunPlace; image: string | null }>(
      db,
      `SELECT j.number, r.place, r.image FROM rehearsals r JOIN jobs j ON j.id = r.job_id
        WHERE r.id = ? AND r.holder = ? AND r.state = 'running'`,
      [id, holder],
    );
    if (!row) return;
    const locked = await lockJob(db, row.number);
    // Its job was deleted meanwhile, with everything that belongs to it.
    if (!locked) return;
    const job = locked.id;
    const proof = ending.state === 'ended' ? ending.proof : null;
    const problem = 'problem' in ending ? (ending.problem ?? null) : null;
    await change(
      db,
      `UPDATE rehearsals SET state = ?, wish = NULL, holder = NULL, progress = ?, room = ?, problem = ?, proof = ?, verdict = ?,
              after_cut = ?, next = ?, changed_at = UTC_TIMESTAMP(3) WHERE id = ?`,
      [
        ending.state,
        JSON.stringify(progress),
        room,
        problem,
        proof ? JSON.stringify(proof) : null,
        proof?.verdict ?? null,
        ending.state === 'cut' ? 1 : 0,
        ending.state === 'waiting' ? ending.next : 'forward',
        id,
      ],
    );
    const what = runName(row);
    if (proof) await record(db, job, `${what} ended: ${outcomeOf(proof)}.`);
    if (problem)
      await record(db, job, `${what} ${ending.state === 'failed' ? 'failed' : 'stopped'}: ${problem}`);
  });
}

/** Name of a run in the history. */
export const runName = ({ place, image }: { place: RunPlace; image: string | null }): string =>
  ({
    'stand-in': 'Rehearsal',
    copy: `Carrying out on a copy of ${image}`,
    image: `Carrying out on ${image}`,
  })[place];

/** Outcome of a rehearsal, as part of a sentence. */
export function outcomeOf({ verdict, cuts }: ExecutionProof): string {
  return `${verdict === 'proved' ? 'as promised, nothing lost' : 'not as promised'}${describeCuts(cuts)}`;
}

/** Room that all files of rehearsals take, in bytes, and how many there are. */
export async function sumRoomTaken(): Promise<{ bytes: number; rehearsals: number }> {
  const [row] = await rows<{ bytes: string | null; count: number }>(
    database(),
    'SELECT SUM(room) AS bytes, COUNT(*) AS count FROM rehearsals WHERE room > 0',
  );
  return { bytes: Number(row?.bytes ?? 0), rehearsals: Number(row?.count ?? 0) };
}

/**
 * Rehearsals that nobody has gone on with for so many days are ended; their files go with them. What was begun on an
 * image stays.
 */
export async function forgetOld(days: number): Promise<void> {
  await change(
    database(),
    `UPDATE rehearsals SET state = 'waiting', next = 'cancel', wish = NULL
      WHERE place = 'stand-in' AND state IN ('paused', 'cut', 'stepped-back') AND changed_at < UTC_TIMESTAMP(3) - INTERVAL ? DAY`,
    [days],
  );
}

/** Ids of rehearsals that still need their files. */
export const readAliveIds = async (): Promise<Set<number>> =>
  new Set(
    (
      await rows<{ id: number }>(database(), `SELECT id FROM rehearsals WHERE state IN (${quoteList(ALIVE)})`)
    ).map(({ id }) => id),
  );
