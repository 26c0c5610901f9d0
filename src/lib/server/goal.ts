import { failure, success, type Outcome } from '$core/problem';
import { planRoutes } from '$core/planning';
import type { Job, NewGoal } from './jobs';

/** Plans a job's goal. Problem codes: those of the planner, and `no-survey`, `no-target`. */
export function planGoal(job: Job, asked: { size: number; keepFreePercent: number }): Outcome<NewGoal> {
  if (!job.survey) {
    return failure({
      code: 'no-survey',
      path: '',
      message: 'This job has no survey yet. Give it one first.',
    });
  }
  if (!job.target) {
    return failure({
      code: 'no-target',
      path: '',
      message: 'No target is chosen yet. Choose one on the Survey screen.',
    });
  }
  const { disk, partition } = job.target;
  const answer = planRoutes({
    survey: job.survey.document,
    disk,
    goal: { partition, size: asked.size },
    kits: ['offline-mover'],
    keepFree: { percent: asked.keepFreePercent },
    prefer: 'quick',
  });
  if (!answer.ok) {
    return failure(...answer.problems.map((p) => ({ ...p, path: p.path.replace('/goal/size', '/size') })));
  }
  return success({ surveyId: job.survey.id, disk, partition, ...asked, answer: answer.value });
}
