import type { Job } from '$contract/jobs';
import type { GoalOptions, Workshop } from '$core/planning';
import { failure, success, type Outcome } from '$core/problem';
import type { NewGoal } from './goals';
import { requestFor } from './sheetSource';
import { runInWorker } from '../../platform/threads/runInWorker';
import { planTask } from './planTasks';
import { refuse } from '$contract/problems';
import { selectToolSettings } from '../workshop/workshop';

/** A job's goal: a size, and the ways to it that are allowed. */
export interface AskedGoal {
  size: number;
  keepFreePercent: number;
  options: GoalOptions;
}

/**
 * Plans a job's goal. The planner is asked here, whatever a browser's own found: what is kept was worked out by this
 * bench. Refusals: those of the planner, `survey-first`, `target-first`.
 */
export async function planGoal(
  job: Pick<Job, 'survey' | 'target'>,
  asked: AskedGoal,
  workshop: Workshop,
): Promise<Outcome<NewGoal>> {
  const { survey, target } = job;
  if (!survey) return refuse('survey-first', {});
  if (!target) return refuse('target-first');
  const { size, keepFreePercent, options } = asked;
  const goal = {
    ...target,
    size,
    keepFreePercent,
    options,
    tools: selectToolSettings(workshop, options.kits),
  };
  const answer = await runInWorker(planTask, requestFor(survey.document, goal));
  if (!answer.ok) {
    return failure(...answer.problems.map((p) => ({ ...p, path: p.path.replace('/goal/size', '/size') })));
  }
  return success({ ...goal, surveyId: survey.id, answer: answer.value });
}
