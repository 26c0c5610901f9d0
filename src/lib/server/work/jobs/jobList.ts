import {
  JOB_GROUPS,
  JOB_SORTS,
  JOB_STAGES,
  MAX_PAGE,
  type JobPage,
  type JobStage,
  type JobSummary,
} from '$contract/jobs';
import type { Workshop } from '$core/planning';
import { database, gathered, rows, type SqlValue } from '../../store/database/database';
import { goalOf, type GoalRow } from '../goals/goals';
import { loadOrNull } from '../../store/documents/loadDocument';
import { GOAL_COLUMNS, LATEST_JOINS, SHEET_COLUMNS } from '../version/latestJoins';
import { readWorkshop } from '../workshop/workshop';

/** Query of the list. */
export interface JobQuery {
  /** Words that must all stand in number, customer, machine or notes. */
  text: string;
  stage: JobStage | null;
  /** Jobs in the workshop, those that are due by tomorrow or late, or those put away. */
  show: (typeof JOB_GROUPS)[number];
  sort: (typeof JOB_SORTS)[number];
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
  size: MAX_PAGE,
};

const ORDER: Record<JobQuery['sort'], string> = {
  // By the id among equals, as the key itself: a page is read off it. By the number, all jobs would be sorted for every
  // page.
  changed: 'j.updated_at DESC, j.id DESC',
  number: 'j.number DESC',
  customer: 'j.customer, j.number DESC',
  due: 'j.due IS NULL, j.due, j.number DESC',
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
    show: one('show', JOB_GROUPS, 'open'),
    sort: one('sort', JOB_SORTS, 'changed'),
    page: whole('page', 1, 100_000),
    size: whole('size', size, MAX_PAGE),
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
    rows<object>(
      db,
      `SELECT ${COLUMNS} FROM (SELECT * FROM jobs j WHERE ${staged.sql} ORDER BY ${ORDER[query.sort]}
          LIMIT ${query.size} OFFSET ${(query.page - 1) * query.size}) j ${LATEST_JOINS}
        ORDER BY ${ORDER[query.sort]}`,
      staged.values,
    ),
    rows<{ stage: JobStage; count: number }>(
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
  return { jobs: found.map((row) => summaryOf(gathered<SummaryRow>(row), workshop)), total, stages };
}

function conditions({ text, show }: JobQuery): { sql: string; values: SqlValue[] } {
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

/** A job's row in the list: what it shows besides what has to be worked out. */
type SummaryRow = Omit<JobSummary, 'archived' | 'stale' | 'goal' | 'sheet'> & {
  archived: number;
  surveyId: number | null;
  goal: GoalRow | null;
  sheet: (NonNullable<JobSummary['sheet']> & { id: number; surveyId: number }) | null;
};

const COLUMNS = `
  j.number, j.customer, j.machine, j.version, j.updated_at AS updatedAt, DATE_FORMAT(j.due, '%Y-%m-%d') AS due,
  j.archived, j.stage, s.id AS surveyId, j.partition_number AS \`target.partition\`, j.disk_number AS \`target.disk\`,
  j.target_name AS \`target.name\`, j.target_size AS \`target.size\`, j.target_used AS \`target.used\`,
  ${GOAL_COLUMNS}, r.title AS routeTitle, ${SHEET_COLUMNS},
  (SELECT b.number FROM jobs b WHERE b.machine_key = j.machine_key AND b.id < j.id ORDER BY b.id DESC LIMIT 1) AS \`before\``;

function summaryOf(row: SummaryRow, workshop: Workshop): JobSummary {
  const { surveyId, archived, goal: asked, target, sheet, routeTitle, ...job } = row;
  const goal = asked && loadOrNull([], () => goalOf(asked, { surveyId, target }, workshop));
  const working = row.stage === 'sheet' || row.stage === 'proof' || row.stage === 'done';
  // Once a sheet is worked from, other tools or rates do not undo what was done.
  const stale = !working && (goal?.stale ?? false);
  const current = goal !== null && !stale;
  return {
    ...job,
    archived: archived === 1,
    stage: stale && row.stage !== 'survey' ? 'diagnosis' : row.stage,
    stale,
    target,
    goal: current ? goal.size : null,
    routeTitle: current ? routeTitle : null,
    sheet: working && sheet ? { done: sheet.done, items: sheet.items, failed: sheet.failed } : null,
  };
}
