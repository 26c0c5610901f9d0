import { drawingOf } from '$core/drawing';
import { RouteShape, type Route, type Workshop } from '$core/planning';
import { BenchProofShape, cutsInWords, rehearsalLine, whyNotRehearsed, type BenchProof } from '$core/bench';
import { failure, success, type Outcome } from '$core/problem';
import { machineOf, type SurveyDocument } from '$core/survey';
import { change, database, rows, transaction, type Db } from '../database';
import { record } from '../history/history';
import type { Job } from '../jobs';
import { locked } from '../jobVersion';
import { kept, keptSurvey } from '../kept';
import { MakingShape, type Asking, type Making } from '../making';
import { person } from '../requester';
import { toolsFor } from '../workshop';
import { ALIVE, AT_FIRST, type Pace, type RehearsalProgress, type RehearsalState, type Wish } from './states';

/** Seconds after which a server that has not said that it runs a rehearsal is taken for gone. */
export const LEASE = 10;

/** A rehearsal as lists and screens show it. */
export interface Rehearsal {
  id: number;
  state: RehearsalState;
  pace: Pace;
  wish: 'pause' | 'cut' | 'cancel' | null;
  route: Route;
  /** It is of the route that is chosen now. */
  current: boolean;
  progress: RehearsalProgress;
  room: number;
  problem: string | null;
  verdict: BenchProof['verdict'] | null;
  who: string;
  createdAt: Date;
  changedAt: Date;
}

interface Row extends Omit<Rehearsal, 'route' | 'progress' | 'current'> {
  route: string;
  progress: string;
  current: number;
}

const COLUMNS = `r.id, r.state, r.pace, r.wish, r.route, r.progress, r.room, r.problem, r.verdict, r.who,
  r.created_at AS createdAt, r.changed_at AS changedAt,
  r.survey_id = (SELECT MAX(id) FROM surveys WHERE job_id = r.job_id AND purpose = 'found')
    AND r.goal_id = (SELECT MAX(id) FROM goals WHERE job_id = r.job_id)
    AND r.chosen = (SELECT chosen FROM routes WHERE goal_id = r.goal_id ORDER BY id DESC LIMIT 1) AS current`;

const rehearsalOf = ({ route, progress, current, room, ...row }: Row): Rehearsal => ({
  ...row,
  room: Number(room),
  current: current === 1,
  route: kept(route, RouteShape, 'The rehearsed route'),
  progress: { ...AT_FIRST, ...(JSON.parse(progress) as Partial<RehearsalProgress>) },
});

/** The job's rehearsals, newest first. */
export async function listRehearsals(number: number, most = 12): Promise<Rehearsal[]> {
  const found = await rows<Row>(
    database(),
    `SELECT ${COLUMNS} FROM rehearsals r JOIN jobs j ON j.id = r.job_id WHERE j.number = ? ORDER BY r.id DESC LIMIT ${most}`,
    [number],
  );
  return found.map(rehearsalOf);
}

export async function findRehearsal(number: number, id: number): Promise<Rehearsal | null> {
  const [row] = await rows<Row>(
    database(),
    `SELECT ${COLUMNS} FROM rehearsals r JOIN jobs j ON j.id = r.job_id WHERE j.number = ? AND r.id = ?`,
    [number, id],
  );
  return row ? rehearsalOf(row) : null;
}

/** Something that is another text once anything of a rehearsal has changed; '' where there is none. */
export async function markOf(id: number): Promise<string> {
  const [row] = await rows<{ changed: Date; state: string }>(
    database(),
    'SELECT changed_at AS changed, state FROM rehearsals WHERE id = ?',
    [id],
  );
  return row ? `${row.changed.getTime()} ${row.state}` : '';
}

/** What the newest rehearsal of a route that ended came to, as a line for its work sheet; null: there is none. */
export async function rehearsedLine(goal: number, chosen: number): Promise<string | null> {
  const [row] = await rows<{ verdict: BenchProof['verdict']; at: Date; cuts: string | null }>(
    database(),
    `SELECT verdict, changed_at AS at, JSON_VALUE(progress, '$.cuts') AS cuts FROM rehearsals
      WHERE goal_id = ? AND chosen = ? AND state = 'ended' ORDER BY id DESC LIMIT 1`,
    [goal, chosen],
  );
  return rehearsalLine(row ? { ...row, cuts: Number(row.cuts ?? 0) } : null);
}

/** The proof that a rehearsal ended with, or null. */
export async function proofOf(number: number, id: number): Promise<BenchProof | null> {
  const [row] = await rows<{ proof: string | null }>(
    database(),
    'SELECT r.proof FROM rehearsals r JOIN jobs j ON j.id = r.job_id WHERE j.number = ? AND r.id = ?',
    [number, id],
  );
  return row?.proof ? kept(row.proof, BenchProofShape, 'The proof of the rehearsal') : null;
}

const refuse = (code: string, message: string) => failure({ code, path: '', message });

/**
 * Puts the chosen route of a job into the queue. Problem codes: `no-route`, `stale`, `not-rehearsable`, `under-way`.
 *
 * @returns its id
 */
export async function startRehearsal(job: Job, pace: Pace, workshop: Workshop): Promise<Outcome<number>> {
  const { survey, target, goal, answer, chosen } = job;
  const route = answer?.routes[chosen];
  if (!survey || !target || !goal || !route)
    return refuse(
      'no-route',
      'There is no route to rehearse yet. Give the job a survey, a target and a size first.',
    );
  if (goal.stale)
    return refuse(
      'stale',
      'The survey, the target, the tools or the rates changed after this route was planned. Plan it again.',
    );
  const disk = machineOf(survey.document).disks.find((one) => one.number === target.disk)!;
  const why = whyNotRehearsed(disk, route.steps);
  if (why) return refuse('not-rehearsable', why);
  const { size, keepFreePercent, options } = goal;
  const making: Making = {
    ...target,
    size,
    keepFreePercent,
    options,
    tools: toolsFor(workshop, [route.kit, ...(options.kits ?? [])]),
    drawing: drawingOf(route),
  };
  return transaction(async (db) => {
    const { id } = await locked(db, job.number);
    const [other] = await rows<{ who: string }>(
      db,
      `SELECT who FROM rehearsals WHERE job_id = ? AND state IN (${quoted(ALIVE)}) LIMIT 1`,
      [id],
    );
    if (other) {
      const by = other.who ? ` (${other.who} began it)` : '';
      return refuse('under-way', `A rehearsal of this job is under way${by}. End it first, or watch it.`);
    }
    const { insertId } = await change(
      db,
      'INSERT INTO rehearsals (job_id, survey_id, goal_id, chosen, disk_number, route, made_of, pace, who) VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?)',
      [
        id,
        survey.id,
        goal.id,
        chosen,
        target.disk,
        JSON.stringify(route),
        JSON.stringify(making),
        pace,
        person(),
      ],
    );
    await record(db, id, `Rehearsal begun on a stand-in: ${route.title}.`);
    return success(insertId);
  });
}

/** Keeps a rehearsal that ended on another bench. */
export async function insertEndedRehearsal(
  db: Db,
  jobId: number,
  ended: {
    surveyId: number;
    goalId: number;
    chosen: number;
    route: Route;
    asking: Asking;
    proof: BenchProof;
    who: string;
    createdAt: string;
    endedAt: string;
  },
): Promise<void> {
  const { surveyId, goalId, chosen, route, asking, proof, who, createdAt, endedAt } = ended;
  const { disk, partition, size, keepFreePercent, options, tools } = asking;
  const making: Making = {
    disk,
    partition,
    size,
    keepFreePercent,
    options,
    tools,
    drawing: drawingOf(route),
  };
  const progress: RehearsalProgress = {
    ...AT_FIRST,
    phase: 'over',
    step: route.steps.length,
    cuts: proof.cuts,
    written: proof.steps.map(({ written }) => written),
  };
  await change(
    db,
    `INSERT INTO rehearsals (job_id, survey_id, goal_id, chosen, disk_number, route, made_of, state, progress, verdict, proof, who,
                             created_at, changed_at)
     VALUES (?, ?, ?, ?, ?, ?, ?, 'ended', ?, ?, ?, ?, ?, ?)`,
    [
      jobId,
      surveyId,
      goalId,
      chosen,
      disk,
      JSON.stringify(route),
      JSON.stringify(making),
      JSON.stringify(progress),
      proof.verdict,
      JSON.stringify(proof),
      who,
      new Date(createdAt),
      new Date(endedAt),
    ],
  );
}

const quoted = (list: readonly string[]): string => list.map((one) => `'${one}'`).join(', ');

const HELD: Record<Exclude<Wish, 'fast' | 'drive'>, readonly RehearsalState[]> = {
  cut: ['running'],
  pause: ['running'],
  resume: ['paused', 'cut', 'stepped-back'],
  'step-back': ['paused', 'cut'],
  cancel: ALIVE,
};

const NOT_NOW: Record<Exclude<Wish, 'fast' | 'drive'>, string> = {
  cut: 'It is not running, so there is no power to cut.',
  pause: 'It is not running, so it can’t be paused.',
  resume: 'It is not stopped, so there is nothing to resume.',
  'step-back': 'It is not stopped within a step, so there is nothing to take back.',
  cancel: 'It has ended already.',
};

/**
 * Asks something of a rehearsal; whoever runs it does it within a second. Problem code: `not-now`.
 *
 * @returns null where the job has no such rehearsal
 */
export async function wishFor(number: number, id: number, wish: Wish): Promise<Outcome<Rehearsal> | null> {
  const done = await transaction(async (db): Promise<Outcome<null> | null> => {
    const job = await locked(db, number);
    const [row] = await rows<{ state: RehearsalState; survey: number }>(
      db,
      'SELECT state FROM rehearsals WHERE id = ? AND job_id = ? FOR UPDATE',
      [id, job.id],
    );
    if (!row) return null;
    const set = (columns: string) =>
      change(db, `UPDATE rehearsals SET ${columns}, changed_at = UTC_TIMESTAMP(3) WHERE id = ?`, [id]);
    if (wish === 'fast' || wish === 'drive') {
      if (!ALIVE.includes(row.state)) return refuse('not-now', NOT_NOW.cancel);
      await set(`pace = '${wish}'`);
      return success(null);
    }
    if (!HELD[wish].includes(row.state)) return refuse('not-now', NOT_NOW[wish]);
    switch (wish) {
      case 'cut':
      case 'pause':
        await set(`wish = '${wish}'`);
        break;
      case 'resume':
        await set("state = 'waiting', next = 'forward', wish = NULL");
        break;
      case 'step-back':
        await set("state = 'waiting', next = 'back', wish = NULL");
        break;
      case 'cancel':
        // Who runs it stops first; what was begun is taken back before its files go.
        if (row.state === 'running') await set("wish = 'cancel'");
        else await set("state = 'waiting', next = 'cancel', wish = NULL");
    }
    const said = SAID[wish];
    if (said) await record(db, job.id, said);
    return success(null);
  });
  if (!done?.ok) return done;
  const rehearsal = await findRehearsal(number, id);
  return rehearsal && success(rehearsal);
}

const SAID: Partial<Record<Wish, string>> = {
  cut: 'Rehearsal: the power was cut.',
  resume: 'Rehearsal resumed.',
  'step-back': 'Rehearsal: the step is taken back.',
  cancel: 'Rehearsal ended before its time.',
};

/** A rehearsal that a server has taken. */
export interface Taken {
  id: number;
  survey: SurveyDocument;
  disk: number;
  route: Route;
  making: Making;
  next: 'forward' | 'back' | 'cancel';
  afterCut: boolean;
  pace: Pace;
  progress: RehearsalProgress;
}

/**
 * Takes the rehearsal that waits longest, or one whose server is gone, unless as many run as may.
 *
 * @param holder names the server
 */
export async function takeRehearsal(holder: string, atOnce: number): Promise<Taken | null> {
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

async function takenOf(db: Db, id: number): Promise<Taken> {
  const [row] = await rows<{
    survey: string;
    disk: number;
    route: string;
    madeOf: string;
    next: Taken['next'];
    afterCut: number;
    pace: Pace;
    progress: string;
  }>(
    db,
    `SELECT s.document AS survey, r.disk_number AS disk, r.route, r.made_of AS madeOf, r.next, r.after_cut AS afterCut, r.pace, r.progress
       FROM rehearsals r JOIN surveys s ON s.id = r.survey_id WHERE r.id = ?`,
    [id],
  );
  const { survey, route, madeOf, progress, afterCut, ...rest } = row!;
  return {
    id,
    ...rest,
    afterCut: afterCut === 1,
    survey: keptSurvey(survey),
    route: kept(route, RouteShape, 'The rehearsed route'),
    making: kept(madeOf, MakingShape, 'The making of the rehearsed route') as Making,
    progress: { ...AT_FIRST, ...(JSON.parse(progress) as Partial<RehearsalProgress>) },
  };
}

/** What is wished of a rehearsal that this server runs; null: it is not this server's any more. */
export async function sayAlive(
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

/** How a run ended that this server held. */
export type Ending =
  | { state: 'paused' | 'stepped-back' | 'cancelled' }
  | { state: 'cut' }
  | { state: 'waiting'; next: Taken['next'] }
  | { state: 'failed'; problem: string }
  | { state: 'ended'; proof: BenchProof };

/** Keeps how it ended, with a line in the job's history where it is worth one. Nothing where it is not this server's any more. */
export async function endRehearsal(
  id: number,
  holder: string,
  ending: Ending,
  progress: RehearsalProgress,
  room: number,
): Promise<void> {
  await transaction(async (db) => {
    const [row] = await rows<{ job: number; number: number }>(
      db,
      `SELECT r.job_id AS job, j.number FROM rehearsals r JOIN jobs j ON j.id = r.job_id
        WHERE r.id = ? AND r.holder = ? AND r.state = 'running'`,
      [id, holder],
    );
    if (!row) return;
    const { id: job } = await locked(db, row.number);
    const proof = ending.state === 'ended' ? ending.proof : null;
    await change(
      db,
      `UPDATE rehearsals SET state = ?, wish = NULL, holder = NULL, progress = ?, room = ?, problem = ?, proof = ?, verdict = ?,
              after_cut = ?, next = ?, changed_at = UTC_TIMESTAMP(3) WHERE id = ?`,
      [
        ending.state,
        JSON.stringify(progress),
        room,
        ending.state === 'failed' ? ending.problem : null,
        proof ? JSON.stringify(proof) : null,
        proof?.verdict ?? null,
        ending.state === 'cut' ? 1 : 0,
        ending.state === 'waiting' ? ending.next : 'forward',
        id,
      ],
    );
    if (proof) await record(db, job, `Rehearsal ended: ${outcomeOf(proof)}.`);
    if (ending.state === 'failed') await record(db, job, `Rehearsal failed: ${ending.problem}`);
  });
}

/** What a rehearsal came to, as part of a sentence. */
export function outcomeOf({ verdict, cuts }: BenchProof): string {
  return `${verdict === 'proved' ? 'as promised, nothing lost' : 'not as promised'}${cutsInWords(cuts)}`;
}

/** Room that all files of rehearsals take, in bytes, and how many there are. */
export async function roomTaken(): Promise<{ bytes: number; rehearsals: number }> {
  const [row] = await rows<{ bytes: string | null; count: number }>(
    database(),
    'SELECT SUM(room) AS bytes, COUNT(*) AS count FROM rehearsals WHERE room > 0',
  );
  return { bytes: Number(row?.bytes ?? 0), rehearsals: Number(row?.count ?? 0) };
}

/** Rehearsals that nobody has gone on with for so many days are ended; their files go with them. */
export async function forgetOld(days: number): Promise<void> {
  await change(
    database(),
    `UPDATE rehearsals SET state = 'waiting', next = 'cancel', wish = NULL
      WHERE state IN ('paused', 'cut', 'stepped-back') AND changed_at < UTC_TIMESTAMP(3) - INTERVAL ? DAY`,
    [days],
  );
}

/** Ids of rehearsals that still need their files. */
export const aliveIds = async (): Promise<Set<number>> =>
  new Set(
    (
      await rows<{ id: number }>(database(), `SELECT id FROM rehearsals WHERE state IN (${quoted(ALIVE)})`)
    ).map(({ id }) => id),
  );
