import type { Goal } from '$contract/goals';
import { refuse } from '$contract/problems';
import type { Outcome } from '$core/problem';
import {
  GoalOptionsShape,
  RoutesAnswerShape,
  type GoalOptions,
  type RoutesAnswer,
  type Workshop,
} from '$core/planning';
import { formatSize } from '$core/units';
import { change, rows, type Db } from '../../store/database/database';
import { withJobVersion } from '../version/jobVersion';
import { loadDocument } from '../../store/documents/loadDocument';
import { hashTools } from '../workshop/workshop';

/** A goal as it is kept, to be held against what holds now. */
export interface GoalRow extends Omit<Goal, 'options' | 'stale'> {
  surveyId: number;
  options: string | null;
  tools: string | null;
}

/** The survey and target that a goal has to belong to. */
interface GoalContext {
  surveyId: number | null;
  target: { disk: number; partition: number } | null;
}

/** A goal counts for the survey, target, tools and rates that it was asked on. @throws UnreadableDocument */
export function goalOf(row: GoalRow, { surveyId, target }: GoalContext, workshop: Workshop): Goal {
  const { surveyId: askedOn, options: text, tools, ...goal } = row;
  const options = text === null ? {} : loadDocument(text, GoalOptionsShape, 'The goal');
  const stale =
    askedOn !== surveyId ||
    tools !== hashTools(workshop, options.kits) ||
    goal.disk !== target?.disk ||
    goal.partition !== target.partition;
  return { ...goal, options, stale };
}

export interface NewGoal {
  surveyId: number;
  disk: number;
  partition: number;
  size: number;
  keepFreePercent: number;
  options: GoalOptions;
  /** Own kits, tools and rates that it was planned with. */
  tools: Workshop;
  answer: RoutesAnswer;
}

/** Keeps a goal together with what the planner answered to it. */
export async function saveGoal(number: number, version: number, goal: NewGoal): Promise<Outcome<number>> {
  return withJobVersion(number, version, async (db, id) => {
    await insertGoal(db, id, goal);
    const found = goal.answer.reached ? `${goal.answer.routes.length} routes` : 'out of reach';
    return `Goal set: ${formatSize(goal.size)} in all (${found}).`;
  });
}

/** @param chosen place of the chosen route @returns the goal's id */
export async function insertGoal(
  db: Db,
  jobId: number,
  goal: NewGoal,
  chosen = 0,
  createdAt = new Date(),
): Promise<number> {
  const { answer, options } = goal;
  const { insertId } = await change(
    db,
    `INSERT INTO goals (job_id, survey_id, disk_number, partition_number, size_bytes, keep_free_percent, options,
                        tools_print, tools, created_at)
     VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?)`,
    [
      jobId,
      goal.surveyId,
      goal.disk,
      goal.partition,
      goal.size,
      goal.keepFreePercent,
      JSON.stringify(options),
      hashTools(goal.tools, options.kits),
      JSON.stringify(goal.tools),
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

/** Chooses one of the routes that were found. Refusals: `no-route-there`, and those of `withJobVersion`. */
export async function chooseRoute(number: number, version: number, chosen: number): Promise<Outcome<number>> {
  return withJobVersion(number, version, async (db, id) => {
    const [newest] = await rows<{ id: number; document: string }>(
      db,
      `SELECT r.id, r.document FROM routes r JOIN goals g ON g.id = r.goal_id
        WHERE g.id = (SELECT MAX(id) FROM goals WHERE job_id = ?) ORDER BY r.id DESC LIMIT 1`,
      [id],
    );
    const route = newest && loadDocument(newest.document, RoutesAnswerShape, 'The plan').routes[chosen];
    if (!newest || !route) return refuse('no-route-there');
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
