import { bytesOf, sentenceName } from '$core/disk';
import type { GoalOptions, RoutesAnswer, Workshop } from '$core/planning';
import { machineOf, type SurveyDocument } from '$core/survey';
import { formatSize } from '$core/units';
import { change, database, rows, transaction, type Db } from './database';
import { record } from './history';
import { insertSurvey } from './saveSurvey';
import { restage } from './stage';
import { StaleCopy } from './staleCopy';
import type { SurveySource } from './surveys';
import { readWorkshop, toolsPrint } from './workshop';

export interface Goal {
  id: number;
  disk: number;
  partition: number;
  /** Bytes, the new total. */
  size: number;
  keepFreePercent: number;
  options: GoalOptions;
  /** A newer survey, another target, or other tools or rates came since. */
  stale: boolean;
}

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
  survey: { id: number; source: SurveySource; document: SurveyDocument; createdAt: Date } | null;
  target: { disk: number; partition: number } | null;
  goal: Goal | null;
  answer: RoutesAnswer | null;
  /** Place of the chosen route in the answer. */
  chosen: number;
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
}

interface JobRow {
  number: number;
  customer: string;
  machine: string;
  version: number;
  notes: string;
  due: string | null;
  archived: number;
  disk_number: number | null;
  partition_number: number | null;
  survey_id: number | null;
  goal_id: number | null;
  goal_survey_id: number | null;
  goal_disk: number | null;
  goal_partition: number | null;
  goal_size: number | null;
  goal_options: string | null;
  goal_tools: string | null;
  survey_source: SurveySource | null;
  survey_document: string | null;
  survey_created_at: Date | null;
  keep_free_percent: number | null;
  route_document: string | null;
  chosen: number | null;
  sheet_id: number | null;
  sheet_survey_id: number | null;
  sheet_items: number | null;
  sheet_done: number | null;
  sheet_failed: string | null;
  sheet_verdict: NonNullable<Job['sheet']>['verdict'];
}

const COLUMNS = `
  j.number, j.customer, j.machine, j.version, j.notes, DATE_FORMAT(j.due, '%Y-%m-%d') AS due, j.archived,
  j.disk_number, j.partition_number, s.id AS survey_id, s.source AS survey_source, s.document AS survey_document,
  s.created_at AS survey_created_at, g.id AS goal_id, g.survey_id AS goal_survey_id, g.disk_number AS goal_disk,
  g.partition_number AS goal_partition, g.size_bytes AS goal_size, g.options AS goal_options,
  g.tools_print AS goal_tools, g.keep_free_percent, r.document AS route_document, r.chosen,
  h.id AS sheet_id, h.survey_id AS sheet_survey_id, h.items AS sheet_items, h.done AS sheet_done,
  h.failed AS sheet_failed,
  (SELECT verdict FROM proofs WHERE sheet_id = h.id AND kind = 'layout' ORDER BY id DESC LIMIT 1) AS sheet_verdict`;

/** A job `j` with its newest survey to plan on, its newest goal, and that goal's newest route. */
export const NEWEST = `
    LEFT JOIN surveys s ON s.id = (SELECT MAX(id) FROM surveys WHERE job_id = j.id AND purpose = 'found')
    LEFT JOIN goals g ON g.id = (SELECT MAX(id) FROM goals WHERE job_id = j.id)
    LEFT JOIN routes r ON r.id = (SELECT MAX(id) FROM routes WHERE goal_id = g.id)`;

export async function findJob(number: number): Promise<Job | null> {
  const sql = `SELECT ${COLUMNS} FROM jobs j ${NEWEST}
    LEFT JOIN sheets h ON h.id = (SELECT MAX(id) FROM sheets WHERE job_id = j.id) WHERE j.number = ?`;
  const [row] = await rows<JobRow>(database(), sql, [number]);
  return row ? jobOf(row, (await readWorkshop()).workshop) : null;
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

/** There is no job of that number. */
export class NoSuchJob extends Error {}

const SOURCE_WORD: Record<SurveySource, string> = {
  document: 'as a document',
  image: 'from an image',
  hand: 'by hand',
};

/** Keeps the survey and chooses its target: the one given, else the Windows volume, else none. */
export async function saveSurvey(
  number: number,
  version: number,
  survey: SurveyDocument,
  source: SurveySource,
): Promise<number> {
  return saved(number, version, async (db, id) => {
    await insertSurvey(db, id, survey, source, 'found');
    await setTarget(db, id, survey, proposedTarget(survey));
    return `Survey of ${survey.takenAt} given (${SOURCE_WORD[source]}).`;
  });
}

export async function saveTarget(
  number: number,
  version: number,
  target: { disk: number; partition: number },
): Promise<number> {
  return saved(number, version, async (db, id) => {
    const sql =
      "SELECT document FROM surveys WHERE job_id = ? AND purpose = 'found' ORDER BY id DESC LIMIT 1";
    const [survey] = await rows<{ document: string }>(db, sql, [id]);
    if (!survey) throw new NoSuchTarget();
    await setTarget(db, id, JSON.parse(survey.document) as SurveyDocument, target);
    return `Target chosen: disk ${target.disk}, partition ${target.partition}.`;
  });
}

export interface NewGoal {
  surveyId: number;
  disk: number;
  partition: number;
  size: number;
  keepFreePercent: number;
  options: GoalOptions;
  toolsPrint: string;
  answer: RoutesAnswer;
}

/** Keeps a goal together with what the planner answered to it. */
export async function saveGoal(number: number, version: number, goal: NewGoal): Promise<number> {
  return saved(number, version, async (db, id) => {
    await insertGoal(db, id, goal);
    const found = goal.answer.reached ? `${goal.answer.routes.length} routes` : 'out of reach';
    return `Goal set: ${formatSize(goal.size)} in all (${found}).`;
  });
}

/** @param chosen place of the chosen route @returns the goal's id */
export async function insertGoal(
  db: Db,
  jobId: number,
  goal: Omit<NewGoal, 'toolsPrint'> & { toolsPrint: string | null },
  chosen = 0,
  createdAt = new Date(),
): Promise<number> {
  const { answer, options } = goal;
  const { insertId } = await change(
    db,
    `INSERT INTO goals (job_id, survey_id, disk_number, partition_number, size_bytes, keep_free_percent, options,
                        tools_print, created_at)
     VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?)`,
    [
      jobId,
      goal.surveyId,
      goal.disk,
      goal.partition,
      goal.size,
      goal.keepFreePercent,
      JSON.stringify(options),
      goal.toolsPrint,
      createdAt,
    ],
  );
  const route = answer.routes[chosen];
  await change(
    db,
    `INSERT INTO routes (goal_id, reached, kit, title, bytes_copied, exposed_bytes, steps, document, chosen)
     VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?)`,
    [
      insertId,
      answer.reached,
      route?.kit ?? null,
      route?.title ?? null,
      route?.totals.bytesCopied ?? null,
      route?.totals.exposedBytes ?? null,
      route?.steps.length ?? null,
      JSON.stringify(answer),
      chosen,
    ],
  );
  return insertId;
}

/** There is no route in that place of the answer. */
export class NoSuchRoute extends Error {}

/** Chooses one of the routes that were found. */
export async function chooseRoute(number: number, version: number, chosen: number): Promise<number> {
  return saved(number, version, async (db, id) => {
    const [newest] = await rows<{ id: number; document: string }>(
      db,
      `SELECT r.id, r.document FROM routes r JOIN goals g ON g.id = r.goal_id
        WHERE g.id = (SELECT MAX(id) FROM goals WHERE job_id = ?) ORDER BY r.id DESC LIMIT 1`,
      [id],
    );
    const route = newest && (JSON.parse(newest.document) as RoutesAnswer).routes[chosen];
    if (!newest || !route) throw new NoSuchRoute();
    await change(
      db,
      'UPDATE routes SET chosen = ?, kit = ?, title = ?, bytes_copied = ?, exposed_bytes = ?, steps = ? WHERE id = ?',
      [
        chosen,
        route.kit,
        route.title,
        route.totals.bytesCopied,
        route.totals.exposedBytes,
        route.steps.length,
        newest.id,
      ],
    );
    return `Route chosen: ${route.title}.`;
  });
}

/**
 * Raises the job's version from the one that was read, or refuses. What `work` does, the raise and the sentence that
 * it returns for the history are saved together. @throws NoSuchJob, StaleCopy
 */
export async function saved(
  number: number,
  version: number,
  work: (db: Db, jobId: number) => Promise<string>,
): Promise<number> {
  return transaction(async (db) => {
    const job = await locked(db, number);
    if (job.version !== version) throw new StaleCopy(job.version);
    await record(db, job.id, await work(db, job.id));
    await restage(db, job.id);
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

/** What can be said of a job besides its disks. */
export interface JobDetails {
  customer: string;
  machine: string;
  notes: string;
  /** YYYY-MM-DD, or null. */
  due: string | null;
}

export async function saveDetails(number: number, version: number, details: JobDetails): Promise<number> {
  return saved(number, version, async (db, id) => {
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
  saved(number, version, async (db, id) => {
    await change(db, 'UPDATE jobs SET archived = ? WHERE id = ?', [archived, id]);
    return archived ? 'Put into the archive.' : 'Taken out of the archive.';
  });

/** Deletes a job with everything that belongs to it. @throws NoSuchJob, StaleCopy */
export async function deleteJob(number: number, version: number): Promise<void> {
  await transaction(async (db) => {
    const job = await locked(db, number);
    if (job.version !== version) throw new StaleCopy(job.version);
    await change(db, 'DELETE FROM jobs WHERE id = ?', [job.id]);
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
    `UPDATE jobs SET disk_number = ?, partition_number = ?, target_name = ?, target_size = ?, target_used = ?
      WHERE id = ?`,
    [
      disk?.number ?? null,
      partition?.number ?? null,
      partition ? sentenceName(partition) : null,
      disk && partition ? bytesOf(disk, partition) : null,
      partition?.volume?.used ?? null,
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
  return {
    number: row.number,
    customer: row.customer,
    machine: row.machine,
    version: row.version,
    notes: row.notes,
    due: row.due,
    archived: row.archived === 1,
    survey:
      row.survey_id === null
        ? null
        : {
            id: row.survey_id,
            source: row.survey_source!,
            document: JSON.parse(row.survey_document!) as SurveyDocument,
            createdAt: row.survey_created_at!,
          },
    target: row.disk_number === null ? null : { disk: row.disk_number, partition: row.partition_number! },
    goal:
      row.goal_id === null
        ? null
        : {
            id: row.goal_id,
            disk: row.goal_disk!,
            partition: row.goal_partition!,
            size: row.goal_size!,
            keepFreePercent: row.keep_free_percent!,
            options: optionsOf(row),
            stale: isStale(row, workshop),
          },
    answer: row.route_document === null ? null : (JSON.parse(row.route_document) as RoutesAnswer),
    chosen: row.chosen ?? 0,
    sheet:
      row.sheet_id === null
        ? null
        : {
            id: row.sheet_id,
            items: row.sheet_items!,
            done: row.sheet_done!,
            failed: row.sheet_failed,
            current: row.sheet_survey_id === row.survey_id,
            verdict: row.sheet_verdict,
          },
  };
}

/** What a goal was asked on, and what holds now. */
export interface GoalRow {
  goal_id: number | null;
  goal_survey_id: number | null;
  survey_id: number | null;
  goal_tools: string | null;
  goal_options: string | null;
  goal_disk: number | null;
  disk_number: number | null;
  goal_partition: number | null;
  partition_number: number | null;
}

/** A goal counts for the survey, target, tools and rates that it was asked on. */
export const isStale = (row: GoalRow, workshop: Workshop): boolean =>
  row.goal_id !== null &&
  (row.goal_survey_id !== row.survey_id ||
    row.goal_tools !== toolsPrint(workshop, optionsOf(row).kits) ||
    row.goal_disk !== row.disk_number ||
    row.goal_partition !== row.partition_number);

const optionsOf = (row: GoalRow): GoalOptions =>
  row.goal_options === null ? {} : (JSON.parse(row.goal_options) as GoalOptions);
