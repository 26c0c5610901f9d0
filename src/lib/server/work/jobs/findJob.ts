import type { Job } from '$contract/jobs';
import { RoutesAnswerShape } from '$core/planning';
import { database, gathered, rows } from '../../store/database/database';
import { loadDocument, loadOrNull, loadSurvey } from '../../store/documents/loadDocument';
import { goalOf, type GoalRow } from '../goals/goals';
import { HOLDINGS_COLUMNS, holdingsOf, type HoldingsRow } from '../holdings/holdings';
import {
  GOAL_COLUMNS,
  LATEST_JOINS,
  REHEARSAL_COLUMNS,
  SHEET_COLUMNS,
  SURVEY_COLUMNS,
} from '../version/latestJoins';
import { readWorkshop } from '../workshop/workshop';

/** Parts of a job that lie in documents of their own: each is read only where it is named. */
export type JobPart = 'survey' | 'holdings' | 'goal' | 'answer' | 'rehearsal' | 'sheet';
const EVERY_PART: readonly JobPart[] = ['survey', 'holdings', 'goal', 'answer', 'rehearsal', 'sheet'];

/** Columns of a job that are always read; `surveyId` is that of the newest survey. */
export type JobHead = Omit<Job, JobPart> & { surveyId: number | null };
export type JobWith<P extends JobPart> = JobHead & Pick<Job, P>;

/** A job's row: what it shows besides what has to be read from JSON or worked out. */
type JobRow = Pick<Job, 'number' | 'customer' | 'machine' | 'version' | 'notes' | 'due'> & {
  archived: number;
  disk: number | null;
  partition: number | null;
  chosen: number | null;
  surveyId: number | null;
  survey?: (Omit<NonNullable<Job['survey']>, 'document'> & { document: string }) | null;
  holdings?: HoldingsRow | null;
  goal?: GoalRow | null;
  route?: { document: string } | null;
  rehearsal?:
    | (Omit<NonNullable<Job['rehearsal']>, 'current' | 'elsewhere' | 'cuts'> & {
        current: number;
        elsewhere: number;
        cuts: string | null;
      })
    | null;
  sheet?: (Omit<NonNullable<Job['sheet']>, 'current'> & { surveyId: number }) | null;
};

const HEAD = `j.number, j.customer, j.machine, j.version, j.notes, DATE_FORMAT(j.due, '%Y-%m-%d') AS due, j.archived,
  j.disk_number AS disk, j.partition_number AS \`partition\`, s.id AS surveyId, r.chosen`;

const COLUMNS: Record<JobPart, string> = {
  survey: SURVEY_COLUMNS,
  holdings: HOLDINGS_COLUMNS,
  goal: GOAL_COLUMNS,
  answer: 'r.document AS `route.document`',
  rehearsal: REHEARSAL_COLUMNS,
  sheet: `${SHEET_COLUMNS},
    (SELECT verdict FROM proofs WHERE sheet_id = h.id AND kind = 'layout' ORDER BY id DESC LIMIT 1) AS \`sheet.verdict\``,
};

/** A job with the parts that are named; null: there is none of that number. */
export async function findJob<P extends JobPart>(
  number: number,
  parts: readonly P[],
): Promise<JobWith<P> | null> {
  const columns = [HEAD, ...parts.map((part) => COLUMNS[part])].join(', ');
  const [found] = await rows<object>(
    database(),
    `SELECT ${columns} FROM jobs j ${LATEST_JOINS} LEFT JOIN holdings o ON o.survey_id = s.id WHERE j.number = ?`,
    [number],
  );
  return found ? ((await jobOf(gathered<JobRow>(found))) as unknown as JobWith<P>) : null;
}

/** A job with everything current about it. */
export const findWholeJob = (number: number): Promise<JobWith<JobPart> | null> => findJob(number, EVERY_PART);

export async function existsJob(number: number): Promise<boolean> {
  return (await rows(database(), 'SELECT id FROM jobs WHERE number = ?', [number])).length > 0;
}

async function jobOf(row: JobRow): Promise<Partial<Job> & JobHead> {
  const { survey, holdings, goal, route, rehearsal, sheet, disk, partition, archived, chosen, ...job } = row;
  const unshown: string[] = [];
  const document = survey && loadOrNull(unshown, () => loadSurvey(survey.document));
  // A target is on a survey; on one that can't be read there is none.
  const target = disk === null || document === null ? null : { disk, partition: partition! };
  const { workshop } = goal ? await readWorkshop() : { workshop: {} };
  const shownGoal =
    goal && loadOrNull(unshown, () => goalOf(goal, { surveyId: job.surveyId, target }, workshop));
  return {
    ...job,
    archived: archived === 1,
    chosen: chosen ?? 0,
    target,
    ...(survey !== undefined && { survey: survey && document ? { ...survey, document } : null }),
    ...(holdings !== undefined && {
      holdings: holdings && document !== null ? loadOrNull(unshown, () => holdingsOf(holdings)) : null,
    }),
    ...(goal !== undefined && { goal: shownGoal ?? null }),
    ...(route !== undefined && {
      answer:
        route && shownGoal !== null
          ? loadOrNull(unshown, () => loadDocument(route.document, RoutesAnswerShape, 'The plan'))
          : null,
    }),
    ...(rehearsal !== undefined && { rehearsal: rehearsalOf(rehearsal) }),
    ...(sheet !== undefined && { sheet: sheet && sheetOf(sheet, job.surveyId) }),
    unshown,
  };
}

/** `current` is never NULL in SQL, so the row has a part even without a rehearsal. */
const rehearsalOf = (row: JobRow['rehearsal']): Job['rehearsal'] =>
  row?.id
    ? {
        ...row,
        current: row.current === 1,
        elsewhere: row.elsewhere === 1,
        cuts: Number(row.cuts ?? 0),
      }
    : null;

const sheetOf = (
  { surveyId, ...sheet }: NonNullable<JobRow['sheet']>,
  survey: number | null,
): NonNullable<Job['sheet']> => ({ ...sheet, current: surveyId === survey });
