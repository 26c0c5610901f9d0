import { bytesOf, sentenceName } from '$core/disk';
import type { GoalOptions, RoutesAnswer, Workshop } from '$core/planning';
import { machineOf, type SurveyDocument } from '$core/survey';
import { change, database, rows, transaction, type Db } from './database';
import { StaleCopy } from './staleCopy';
import type { SurveySource } from './surveys';
import { readWorkshop, toolsPrint } from './workshop';

export type Stage = 'survey' | 'diagnosis' | 'target' | 'route';

/** A job in the list: what the Jobs screen shows of it. */
export interface JobSummary {
  number: number;
  customer: string;
  machine: string;
  version: number;
  updatedAt: Date;
  /** The furthest stage with something to show that is not stale. */
  stage: Stage;
  stale: boolean;
  target: { name: string; size: number; used: number | null; disk: number } | null;
  /** The new total that was asked for, in bytes. */
  goal: number | null;
  routeTitle: string | null;
}

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
  survey: { id: number; source: SurveySource; document: SurveyDocument; createdAt: Date } | null;
  target: { disk: number; partition: number } | null;
  goal: Goal | null;
  answer: RoutesAnswer | null;
  /** Place of the chosen route in the answer. */
  chosen: number;
}

interface SummaryRow {
  number: number;
  customer: string;
  machine: string;
  version: number;
  updated_at: Date;
  disk_number: number | null;
  partition_number: number | null;
  target_name: string | null;
  target_size: number | null;
  target_used: number | null;
  survey_id: number | null;
  goal_id: number | null;
  goal_survey_id: number | null;
  goal_disk: number | null;
  goal_partition: number | null;
  goal_size: number | null;
  goal_options: string | null;
  goal_tools: string | null;
  route_reached: number | null;
  route_title: string | null;
}

interface JobRow extends SummaryRow {
  survey_source: SurveySource | null;
  survey_document: string | null;
  survey_created_at: Date | null;
  keep_free_percent: number | null;
  route_document: string | null;
  chosen: number | null;
}

const SUMMARY_COLUMNS = `
  j.number, j.customer, j.machine, j.version, j.updated_at, j.disk_number, j.partition_number,
  j.target_name, j.target_size, j.target_used, s.id AS survey_id,
  g.id AS goal_id, g.survey_id AS goal_survey_id, g.disk_number AS goal_disk,
  g.partition_number AS goal_partition, g.size_bytes AS goal_size, g.options AS goal_options,
  g.tools_print AS goal_tools,
  r.reached AS route_reached, r.title AS route_title`;

const DOCUMENT_COLUMNS = `
  s.source AS survey_source, s.document AS survey_document, s.created_at AS survey_created_at,
  g.keep_free_percent, r.document AS route_document, r.chosen`;

/** Each job with its newest survey, its newest goal, and that goal's newest route. */
const NEWEST = `
    FROM jobs j
    LEFT JOIN surveys s ON s.id = (SELECT MAX(id) FROM surveys WHERE job_id = j.id)
    LEFT JOIN goals g ON g.id = (SELECT MAX(id) FROM goals WHERE job_id = j.id)
    LEFT JOIN routes r ON r.id = (SELECT MAX(id) FROM routes WHERE goal_id = g.id)`;

export async function listJobs(): Promise<JobSummary[]> {
  const found = await rows<SummaryRow>(
    database(),
    `SELECT ${SUMMARY_COLUMNS} ${NEWEST} ORDER BY j.number DESC`,
  );
  const { workshop } = await readWorkshop();
  return found.map((row) => summaryOf(row, workshop));
}

export async function findJob(number: number): Promise<Job | null> {
  const sql = `SELECT ${SUMMARY_COLUMNS}, ${DOCUMENT_COLUMNS} ${NEWEST} WHERE j.number = ?`;
  const [row] = await rows<JobRow>(database(), sql, [number]);
  return row ? jobOf(row, (await readWorkshop()).workshop) : null;
}

/** Adds a job, under the next free number where none is given; jobs added at once wait for each other. */
export async function createJob(customer: string, machine: string, wanted?: number): Promise<number> {
  return transaction(async (db) => {
    const next = wanted === undefined ? 'LAST_INSERT_ID(last + 1)' : 'GREATEST(last, ?)';
    const counted = await change(
      db,
      `UPDATE counters SET last = ${next} WHERE name = 'job'`,
      wanted === undefined ? [] : [wanted],
    );
    const number = wanted ?? counted.insertId;
    await change(db, 'INSERT INTO jobs (number, customer, machine) VALUES (?, ?, ?)', [
      number,
      customer,
      machine,
    ]);
    return number;
  });
}

/** The survey has no such partition. */
export class NoSuchTarget extends Error {}

/** There is no job of that number. */
export class NoSuchJob extends Error {}

/** Keeps the survey and chooses its target: the one given, else the Windows volume, else none. */
export async function saveSurvey(
  number: number,
  version: number,
  survey: SurveyDocument,
  source: SurveySource,
): Promise<number> {
  return saved(number, version, async (db, id) => {
    const partitions = survey.disks.reduce((sum, disk) => sum + disk.partitions.length, 0);
    await change(
      db,
      `INSERT INTO surveys (job_id, source, taken_at, machine_name, disk_count, partition_count, document)
       VALUES (?, ?, ?, ?, ?, ?, ?)`,
      [
        id,
        source,
        new Date(survey.takenAt),
        survey.machine.name,
        survey.disks.length,
        partitions,
        JSON.stringify(survey),
      ],
    );
    await setTarget(db, id, survey, proposedTarget(survey));
  });
}

export async function saveTarget(
  number: number,
  version: number,
  target: { disk: number; partition: number },
): Promise<number> {
  return saved(number, version, async (db, id) => {
    const sql = 'SELECT document FROM surveys WHERE job_id = ? ORDER BY id DESC LIMIT 1';
    const [survey] = await rows<{ document: string }>(db, sql, [id]);
    if (!survey) throw new NoSuchTarget();
    await setTarget(db, id, JSON.parse(survey.document) as SurveyDocument, target);
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
    const { insertId } = await change(
      db,
      `INSERT INTO goals (job_id, survey_id, disk_number, partition_number, size_bytes, keep_free_percent, options,
                          tools_print)
       VALUES (?, ?, ?, ?, ?, ?, ?, ?)`,
      [
        id,
        goal.surveyId,
        goal.disk,
        goal.partition,
        goal.size,
        goal.keepFreePercent,
        JSON.stringify(goal.options),
        goal.toolsPrint,
      ],
    );
    const route = goal.answer.routes[0];
    await change(
      db,
      `INSERT INTO routes (goal_id, reached, kit, title, bytes_copied, exposed_bytes, steps, document)
       VALUES (?, ?, ?, ?, ?, ?, ?, ?)`,
      [
        insertId,
        goal.answer.reached,
        route?.kit ?? null,
        route?.title ?? null,
        route?.totals.bytesCopied ?? null,
        route?.totals.exposedBytes ?? null,
        route?.steps.length ?? null,
        JSON.stringify(goal.answer),
      ],
    );
  });
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
  });
}

/** Raises the job's version from the one that was read, or refuses; `work` and the raise are saved together. */
async function saved(
  number: number,
  version: number,
  work: (db: Db, jobId: number) => Promise<void>,
): Promise<number> {
  return transaction(async (db) => {
    const [job] = await rows<{ id: number; version: number }>(
      db,
      'SELECT id, version FROM jobs WHERE number = ? FOR UPDATE',
      [number],
    );
    if (!job) throw new NoSuchJob();
    if (job.version !== version) throw new StaleCopy(job.version);
    await work(db, job.id);
    await change(db, 'UPDATE jobs SET version = version + 1, updated_at = UTC_TIMESTAMP(3) WHERE id = ?', [
      job.id,
    ]);
    return version + 1;
  });
}

async function setTarget(
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
  };
}

/** A goal counts for the survey, target, tools and rates that it was asked on. */
const isStale = (row: SummaryRow, workshop: Workshop): boolean =>
  row.goal_id !== null &&
  (row.goal_survey_id !== row.survey_id ||
    row.goal_tools !== toolsPrint(workshop, optionsOf(row).kits) ||
    row.goal_disk !== row.disk_number ||
    row.goal_partition !== row.partition_number);

const optionsOf = (row: SummaryRow): GoalOptions =>
  row.goal_options === null ? {} : (JSON.parse(row.goal_options) as GoalOptions);

function summaryOf(row: SummaryRow, workshop: Workshop): JobSummary {
  const stale = isStale(row, workshop);
  const current = row.goal_id !== null && !stale;
  const stage: Stage =
    row.survey_id === null ? 'survey' : !current ? 'diagnosis' : row.route_reached === 1 ? 'route' : 'target';
  return {
    number: row.number,
    customer: row.customer,
    machine: row.machine,
    version: row.version,
    updatedAt: row.updated_at,
    stage,
    stale,
    target:
      row.target_name === null
        ? null
        : { name: row.target_name, size: row.target_size!, used: row.target_used, disk: row.disk_number! },
    goal: current ? row.goal_size : null,
    routeTitle: current ? row.route_title : null,
  };
}
