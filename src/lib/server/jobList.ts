import type { Workshop } from '$core/planning';
import { database, rows, type Bound } from './database';
import { isStale, NEWEST, type GoalRow } from './jobs';
import { JOB_STAGES, type Stage } from './stage';
import { readWorkshop } from './workshop';

/** A job in the list: what the Jobs screen shows of it. */
export interface JobSummary {
  number: number;
  customer: string;
  machine: string;
  version: number;
  updatedAt: Date;
  /** YYYY-MM-DD. */
  due: string | null;
  archived: boolean;
  stage: Stage;
  stale: boolean;
  target: { name: string; size: number; used: number | null; disk: number } | null;
  /** The new total that was asked for, in bytes. */
  goal: number | null;
  routeTitle: string | null;
  /** How far its work sheet is, where there is one that counts. */
  sheet: { done: number; items: number; failed: string | null } | null;
}

export const SORTS = ['changed', 'number', 'customer', 'due'] as const;
export const SHOWN = ['open', 'due', 'archived'] as const;

/** What the list is to show. */
export interface JobQuery {
  /** Words that must all stand in number, customer, machine or notes. */
  text: string;
  stage: Stage | null;
  /** Those in the workshop, those that are due by tomorrow or late, or those put away. */
  show: (typeof SHOWN)[number];
  sort: (typeof SORTS)[number];
  /** Counted from 1. */
  page: number;
  /** Jobs on a page, 1 to 200. */
  size: number;
}

export const EVERY_JOB: JobQuery = {
  text: '',
  stage: null,
  show: 'open',
  sort: 'number',
  page: 1,
  size: 200,
};

export interface JobPage {
  jobs: JobSummary[];
  /** Of all pages. */
  total: number;
  /** How many jobs there are at each stage, whatever stage is asked for. */
  stages: Partial<Record<Stage, number>>;
}

const ORDER: Record<JobQuery['sort'], string> = {
  changed: 'updated_at DESC, number DESC',
  number: 'number DESC',
  customer: 'customer, number DESC',
  due: 'due IS NULL, due, number DESC',
};

/** A query from the parameters of an address; what makes no sense there counts as not said. */
export function queryOf(params: URLSearchParams, size: number): JobQuery {
  const one = <T extends string>(name: string, known: readonly T[], otherwise: T): T =>
    known.find((value) => value === params.get(name)) ?? otherwise;
  const whole = (name: string, otherwise: number, most: number): number => {
    const value = Number(params.get(name) ?? otherwise);
    return Number.isInteger(value) && value >= 1 ? Math.min(value, most) : otherwise;
  };
  return {
    text: (params.get('q') ?? '').trim().slice(0, 200),
    stage: JOB_STAGES.find((stage) => stage === params.get('stage')) ?? null,
    show: one('show', SHOWN, 'open'),
    sort: one('sort', SORTS, 'changed'),
    page: whole('page', 1, 100_000),
    size: whole('size', size, 200),
  };
}

/** One page of the jobs that a query asks for. */
export async function listJobs(query: JobQuery = EVERY_JOB): Promise<JobPage> {
  const base = conditions(query);
  const staged = query.stage
    ? { sql: `${base.sql} AND stage = ?`, values: [...base.values, query.stage] }
    : base;
  const db = database();
  const [found, counts, { workshop }] = await Promise.all([
    rows<SummaryRow>(
      db,
      `SELECT ${COLUMNS} FROM (SELECT * FROM jobs WHERE ${staged.sql} ORDER BY ${ORDER[query.sort]}
          LIMIT ${query.size} OFFSET ${(query.page - 1) * query.size}) j ${NEWEST}
         LEFT JOIN sheets h ON h.id = (SELECT MAX(id) FROM sheets WHERE job_id = j.id)
        ORDER BY ${ORDER[query.sort].replace(/\b(updated_at|number|customer|due)\b/g, 'j.$1')}`,
      staged.values,
    ),
    rows<{ stage: Stage; count: number }>(
      db,
      `SELECT stage, COUNT(*) AS count FROM jobs WHERE ${base.sql} GROUP BY stage`,
      base.values,
    ),
    readWorkshop(),
  ]);
  const stages = Object.fromEntries(counts.map(({ stage, count }) => [stage, count]));
  const total = counts
    .filter(({ stage }) => query.stage === null || stage === query.stage)
    .reduce((sum, { count }) => sum + count, 0);
  return { jobs: found.map((row) => summaryOf(row, workshop)), total, stages };
}

function conditions({ text, show }: JobQuery): { sql: string; values: Bound[] } {
  const words = text.split(/\s+/).filter((word) => word !== '');
  const late = show === 'due' ? ' AND due <= UTC_DATE() + INTERVAL 1 DAY' : '';
  const like = words.map(
    () => ' AND (customer LIKE ? OR machine LIKE ? OR notes LIKE ? OR CAST(number AS CHAR) LIKE ?)',
  );
  const values = words.flatMap((word) => {
    const part = `%${word.replace(/[\\%_]/g, '\\$&')}%`;
    return [part, part, part, `${part.slice(1)}`];
  });
  return { sql: `archived = ?${late}${like.join('')}`, values: [show === 'archived', ...values] };
}

interface SummaryRow extends GoalRow {
  number: number;
  customer: string;
  machine: string;
  version: number;
  updated_at: Date;
  due: string | null;
  archived: number;
  stage: Stage;
  target_name: string | null;
  target_size: number | null;
  target_used: number | null;
  goal_size: number | null;
  route_title: string | null;
  sheet_survey_id: number | null;
  sheet_items: number | null;
  sheet_done: number | null;
  sheet_failed: string | null;
}

const COLUMNS = `
  j.number, j.customer, j.machine, j.version, j.updated_at, DATE_FORMAT(j.due, '%Y-%m-%d') AS due, j.archived, j.stage,
  j.disk_number, j.partition_number, j.target_name, j.target_size, j.target_used, s.id AS survey_id,
  g.id AS goal_id, g.survey_id AS goal_survey_id, g.disk_number AS goal_disk, g.partition_number AS goal_partition,
  g.size_bytes AS goal_size, g.options AS goal_options, g.tools_print AS goal_tools, r.title AS route_title,
  h.survey_id AS sheet_survey_id, h.items AS sheet_items, h.done AS sheet_done, h.failed AS sheet_failed`;

function summaryOf(row: SummaryRow, workshop: Workshop): JobSummary {
  const working = row.stage === 'sheet' || row.stage === 'proof' || row.stage === 'done';
  // Once a sheet is worked from, other tools or rates do not undo what was done.
  const stale = !working && isStale(row, workshop);
  const current = row.goal_id !== null && !stale;
  return {
    number: row.number,
    customer: row.customer,
    machine: row.machine,
    version: row.version,
    updatedAt: row.updated_at,
    due: row.due,
    archived: row.archived === 1,
    stage: stale && row.stage !== 'survey' ? 'diagnosis' : row.stage,
    stale,
    target:
      row.target_name === null
        ? null
        : { name: row.target_name, size: row.target_size!, used: row.target_used, disk: row.disk_number! },
    goal: current ? row.goal_size : null,
    routeTitle: current ? row.route_title : null,
    sheet: working ? { done: row.sheet_done!, items: row.sheet_items!, failed: row.sheet_failed } : null,
  };
}
