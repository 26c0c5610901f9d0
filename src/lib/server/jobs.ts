import { bytesOf, sentenceName } from '$core/disk';
import { RoutesAnswerShape, type RoutesAnswer, type Workshop } from '$core/planning';
import type { Choice } from '$core/holdings';
import { machineOf, type SurveyDocument } from '$core/survey';
import { change, database, gathered, rows, transaction, type Db } from './database';
import { goalOf, type Goal, type GoalRow } from './goals';
import { record, recordAtBench } from './history/history';
import { HOLDINGS_COLUMNS, holdingsOf, insertHoldings, type HoldingsRow, type JobHoldings } from './holdings';
import { locked, withJobVersion } from './jobVersion';
import { kept, keptSurvey, orUnshown } from './kept';
import { machineKey } from './machines';
import { GOAL_COLUMNS, NEWEST, REHEARSAL_COLUMNS, SHEET_COLUMNS } from './newest';
import { ALIVE, quoted, type RehearsalState, type RunPlace } from './rehearsal/states';
import { insertSurvey } from './saveSurvey';
import type { BodyOf } from './schemas';
import { StaleCopy } from './staleCopy';
import type { SurveySource } from './jobFile/parts';
import type { Weighed } from './weigh';
import { readWorkshop } from './workshop';

/** A job with everything current about it. */
export interface Job {
  number: number;
  customer: string;
  machine: string;
  version: number;
  notes: string;
  /** YYYY-MM-DD. */
  due: string | null;
  archived: boolean;
  survey: {
    id: number;
    source: SurveySource;
    document: SurveyDocument;
    createdAt: Date;
    /** File in the server's folder of images that it was read from. */
    image: string | null;
  } | null;
  /** What fills the newest survey's volumes, as far as it is known, and what of it is to go. */
  holdings: JobHoldings | null;
  target: { disk: number; partition: number } | null;
  goal: Goal | null;
  answer: RoutesAnswer | null;
  /** Place of the chosen route in the answer. */
  chosen: number;
  /** What came of the newest rehearsal. */
  rehearsal: {
    id: number;
    state: RehearsalState;
    verdict: 'proved' | 'differs' | null;
    changedAt: Date;
    cuts: number;
    /** It is of the route that is chosen now. */
    current: boolean;
    /** It came with the job from another bench. */
    elsewhere: boolean;
    place: RunPlace;
    image: string | null;
  } | null;
  /** How far the newest work sheet is. */
  sheet: {
    id: number;
    items: number;
    done: number;
    /** Title of the item that failed. */
    failed: string | null;
    /** False once a newer survey came. */
    current: boolean;
    /** What came of comparing the disk afterwards. */
    verdict: 'proved' | 'open' | 'lost' | null;
  } | null;
  /** What is kept of the job and can't be shown, in sentences; it counts as not there, and goes along with an export. */
  unshown: string[];
}

/** A job's row: what it shows besides what has to be read from JSON or worked out. */
type JobRow = Pick<Job, 'number' | 'customer' | 'machine' | 'version' | 'notes' | 'due'> & {
  archived: number;
  disk: number | null;
  partition: number | null;
  survey: (Omit<NonNullable<Job['survey']>, 'document'> & { document: string }) | null;
  holdings: HoldingsRow | null;
  goal: GoalRow | null;
  route: { id: number; document: string; chosen: number } | null;
  rehearsal:
    | (Omit<NonNullable<Job['rehearsal']>, 'current' | 'elsewhere' | 'cuts'> & {
        current: number;
        elsewhere: number;
        cuts: string | null;
      })
    | null;
  sheet: (Omit<NonNullable<Job['sheet']>, 'current'> & { surveyId: number }) | null;
};

const COLUMNS = `
  j.number, j.customer, j.machine, j.version, j.notes, DATE_FORMAT(j.due, '%Y-%m-%d') AS due, j.archived,
  j.disk_number AS disk, j.partition_number AS \`partition\`, s.id AS \`survey.id\`, s.source AS \`survey.source\`,
  s.document AS \`survey.document\`, s.created_at AS \`survey.createdAt\`, s.image AS \`survey.image\`, ${HOLDINGS_COLUMNS}, ${GOAL_COLUMNS},
  r.id AS \`route.id\`, r.document AS \`route.document\`, r.chosen AS \`route.chosen\`, ${REHEARSAL_COLUMNS}, ${SHEET_COLUMNS},
  (SELECT verdict FROM proofs WHERE sheet_id = h.id AND kind = 'layout' ORDER BY id DESC LIMIT 1) AS \`sheet.verdict\``;

export async function findJob(number: number): Promise<Job | null> {
  const sql = `SELECT ${COLUMNS} FROM jobs j ${NEWEST} LEFT JOIN holdings o ON o.survey_id = s.id WHERE j.number = ?`;
  const [row] = await rows<JobRow>(database(), sql, [number]);
  return row ? jobOf(gathered<JobRow>(row), (await readWorkshop()).workshop) : null;
}

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

/** The survey has no such partition. */
export class NoSuchTarget extends Error {}

const SOURCE_WORD: Record<SurveySource, string> = {
  document: 'as a document',
  image: 'from an image',
  hand: 'by hand',
};

/** Keeps the survey, with what fills its volumes where that is known, and chooses its target: the Windows volume, else none. */
export async function saveSurvey(
  number: number,
  version: number,
  survey: SurveyDocument,
  source: SurveySource,
  {
    image = null,
    holdings = null,
    choices = [],
  }: { image?: string | null; holdings?: Weighed | null; choices?: readonly Choice[] } = {},
): Promise<number> {
  return withJobVersion(number, version, async (db, id) => {
    const surveyId = await insertSurvey(db, id, survey, source, 'found', { image });
    if (holdings) await insertHoldings(db, surveyId, holdings, choices);
    await setTarget(db, id, survey, proposedTarget(survey));
    const from = image === null ? SOURCE_WORD[source] : `from ${image} on the server`;
    return `Survey of ${survey.takenAt} given (${from}${holdings ? ', with what fills its volumes' : ''}).`;
  });
}

export async function saveTarget(
  number: number,
  version: number,
  target: { disk: number; partition: number },
): Promise<number> {
  return withJobVersion(number, version, async (db, id) => {
    const sql =
      "SELECT document FROM surveys WHERE job_id = ? AND purpose = 'found' ORDER BY id DESC LIMIT 1";
    const [survey] = await rows<{ document: string }>(db, sql, [id]);
    if (!survey) throw new NoSuchTarget();
    await setTarget(db, id, keptSurvey(survey.document), target);
    return `Target chosen: disk ${target.disk}, partition ${target.partition}.`;
  });
}

/** What can be said of a job besides its disks. */
export type JobDetails = Omit<BodyOf<'job-details'>, 'version'>;

export async function saveDetails(number: number, version: number, details: JobDetails): Promise<number> {
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
export const archiveJob = (number: number, version: number, archived: boolean): Promise<number> =>
  withJobVersion(number, version, async (db, id) => {
    await change(db, 'UPDATE jobs SET archived = ? WHERE id = ?', [archived, id]);
    return archived ? 'Put into the archive.' : 'Taken out of the archive.';
  });

/** The job's route is being carried out on an image. */
export class ImageAtWork extends Error {
  constructor(readonly image: string) {
    super(`The route of this job is being carried out on ${image}. End that first; nothing was deleted.`);
  }
}

/** Deletes a job with everything that belongs to it. @throws NoSuchJob, StaleCopy, ImageAtWork */
export async function deleteJob(number: number, version: number): Promise<void> {
  await transaction(async (db) => {
    const job = await locked(db, number);
    if (job.version !== version) throw new StaleCopy(job.version);
    // Only its journal knows where the bytes of an image are while it is worked on.
    const [run] = await rows<{ image: string }>(
      db,
      `SELECT image FROM rehearsals WHERE job_id = ? AND place <> 'stand-in' AND state IN (${quoted(ALIVE)}) LIMIT 1 FOR UPDATE`,
      [job.id],
    );
    if (run) throw new ImageAtWork(run.image);
    const [gone] = await rows<{ customer: string; machine: string; entries: number; seal: string | null }>(
      db,
      'SELECT customer, machine, history_count AS entries, history_seal AS seal FROM jobs WHERE id = ?',
      [job.id],
    );
    await change(db, 'DELETE FROM jobs WHERE id = ?', [job.id]);
    await recordAtBench(
      db,
      `Job ${number} deleted: ${gone!.customer}, ${gone!.machine}. Its history had ${gone!.entries} entries, sealed ${gone!.seal?.slice(0, 16) ?? 'not at all'}.`,
    );
  });
}

/** @throws NoSuchTarget */
export async function setTarget(
  db: Db,
  jobId: number,
  survey: SurveyDocument,
  target: { disk: number; partition: number } | null,
): Promise<void> {
  const disk = machineOf(survey).disks.find((candidate) => candidate.number === target?.disk);
  const partition = disk?.partitions.find((candidate) => candidate.number === target?.partition);
  if (target && (!disk || !partition)) throw new NoSuchTarget();
  await change(
    db,
    `UPDATE jobs SET disk_number = ?, partition_number = ?, target_name = ?, target_size = ?, target_used = ?,
                    machine_key = ? WHERE id = ?`,
    [
      disk?.number ?? null,
      partition?.number ?? null,
      partition ? sentenceName(partition) : null,
      disk && partition ? bytesOf(disk, partition) : null,
      partition?.volume?.used ?? null,
      machineKey(survey, disk?.number ?? null),
      jobId,
    ],
  );
}

function proposedTarget(survey: SurveyDocument): { disk: number; partition: number } | null {
  for (const disk of machineOf(survey).disks) {
    const windows = disk.partitions.find((partition) => partition.role === 'windows');
    if (windows) return { disk: disk.number, partition: windows.number };
  }
  return null;
}

function jobOf(row: JobRow, workshop: Workshop): Job {
  const { survey, holdings, goal, route, rehearsal, sheet, disk, partition, archived, ...job } = row;
  const unshown: string[] = [];
  const document = survey && orUnshown(unshown, () => keptSurvey(survey.document));
  const target = disk === null || !document ? null : { disk, partition: partition! };
  const asked = { surveyId: survey?.id ?? null, target };
  const shownGoal = goal && orUnshown(unshown, () => goalOf(goal, asked, workshop));
  const answer = route && orUnshown(unshown, () => kept(route.document, RoutesAnswerShape, 'The plan'));
  return {
    ...job,
    archived: archived === 1,
    survey: survey && document && { ...survey, document },
    holdings: holdings && document && orUnshown(unshown, () => holdingsOf(holdings)),
    target,
    goal: shownGoal,
    answer: shownGoal && answer,
    chosen: route?.chosen ?? 0,
    // A comparison with what is not there is never nothing, so the part is there even without a rehearsal.
    rehearsal: rehearsal?.id
      ? {
          ...rehearsal,
          current: rehearsal.current === 1,
          elsewhere: rehearsal.elsewhere === 1,
          cuts: Number(rehearsal.cuts ?? 0),
        }
      : null,
    sheet: sheet && sheetOf(sheet, survey?.id ?? null),
    unshown,
  };
}

const sheetOf = (
  { surveyId, ...sheet }: NonNullable<JobRow['sheet']>,
  survey: number | null,
): NonNullable<Job['sheet']> => ({ ...sheet, current: surveyId === survey });
