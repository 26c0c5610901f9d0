import { type GoalOptions, type Workshop } from '$core/planning';
import { failure, success, type Outcome } from '$core/problem';
import type { Job } from './jobs';
import { type NewGoal } from './goals';
import { requestFor } from './making';
import { aside } from './threads/aside';
import { toolsFor } from './workshop';

/** What is asked of a job: a size, and how it may be reached. */
export interface AskedGoal {
  size: number;
  keepFreePercent: number;
  options: GoalOptions;
}

/**
 * Plans a job's goal. The planner is asked here, whatever a browser's own found: what is kept was worked out by this bench.
 * Problem codes: those of the planner, and `no-survey`, `no-target`.
 */
export async function planGoal(job: Job, asked: AskedGoal, workshop: Workshop): Promise<Outcome<NewGoal>> {
  const { survey, target } = job;
  if (!survey) {
    return failure({
      code: 'no-survey',
      path: '',
      message: 'This job has no survey yet. Give it one first.',
    });
  }
  if (!target) {
    const message = 'No target is chosen yet. Choose one on the Survey screen.';
    return failure({ code: 'no-target', path: '', message });
  }
  const { size, keepFreePercent, options } = asked;
  const goal = { ...target, size, keepFreePercent, options, tools: toolsFor(workshop, options.kits) };
  const answer = await aside('plan', requestFor(survey.document, goal));
  if (!answer.ok) {
    return failure(...answer.problems.map((p) => ({ ...p, path: p.path.replace('/goal/size', '/size') })));
  }
  return success({ ...goal, surveyId: survey.id, answer: answer.value });
}
