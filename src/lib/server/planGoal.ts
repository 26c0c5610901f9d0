import { layoutsAlong } from '$core/steps';
import {
  taskOf,
  type GoalOptions,
  type RoutesAnswer,
  type RoutesRequest,
  type Workshop,
} from '$core/planning';
import { bytesOf } from '$core/disk';
import { failure, success, type Outcome } from '$core/problem';
import { machineOf } from '$core/survey';
import type { Job } from './jobs';
import { type NewGoal } from './goals';
import { planInThread } from './planner/plannerThread';
import { toolsFingerprint } from './workshop';

/** What is asked of a job: a size, and how it may be reached. */
export interface AskedGoal {
  size: number;
  keepFreePercent: number;
  options: GoalOptions;
  /** What the planner found in the browser; without it, it is asked here. */
  answer?: RoutesAnswer | undefined;
}

/** The planner's request for a job's goal. */
export const requestOf = (
  job: Job & { survey: NonNullable<Job['survey']>; target: NonNullable<Job['target']> },
  asked: Pick<AskedGoal, 'size' | 'keepFreePercent' | 'options'>,
  workshop: Workshop,
): RoutesRequest => ({
  survey: job.survey.document,
  disk: job.target.disk,
  goal: { partition: job.target.partition, size: asked.size },
  keepFree: { percent: asked.keepFreePercent },
  workshop,
  ...asked.options,
});

/** Plans a job's goal. Problem codes: those of the planner, and `no-survey`, `no-target`, `answer-wrong`. */
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
  const request = requestOf({ ...job, survey, target }, asked, workshop);
  const answer = asked.answer ? checkAnswer(request, asked.answer) : await planInThread(request);
  if (!answer.ok) {
    return failure(...answer.problems.map((p) => ({ ...p, path: p.path.replace('/goal/size', '/size') })));
  }
  const { size, keepFreePercent, options } = asked;
  return success({
    surveyId: survey.id,
    ...target,
    size,
    keepFreePercent,
    options,
    toolsPrint: toolsFingerprint(workshop, options.kits),
    answer: answer.value,
  });
}

/** An answer that came with the question: every route must be possible on this disk and reach this size. */
function checkAnswer(request: RoutesRequest, answer: RoutesAnswer): Outcome<RoutesAnswer> {
  const task = taskOf(machineOf(request.survey), request);
  if (!task.ok) return failure(...task.problems);
  const { disk, target, size } = task.value;
  for (const [i, route] of answer.routes.entries()) {
    const wrong = (message: string) =>
      failure({
        code: 'answer-wrong',
        path: `/answer/routes/${i}`,
        message: `This route does not fit the disk: ${message}.`,
      });
    const layouts = layoutsAlong(disk, route.steps);
    if (!layouts.ok) return wrong(layouts.problems[0]!.message);
    const grown = layouts.value.at(-1)!.partitions.find(({ number }) => number === target.number);
    if (!grown || bytesOf(disk, grown) !== size) return wrong('it does not end at the size asked for');
  }
  return success(answer);
}
