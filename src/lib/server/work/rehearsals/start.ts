import { ALIVE } from '$contract/rehearsalStates';
import { refuse } from '$contract/problems';
import type { RehearsalStart } from '$contract/rehearsals';
import { quoteList } from '../../store/database/sql';
import type { Job } from '$contract/jobs';
import type { PlannedGoal, SheetSource } from '$contract/sheetSource';
import type { RehearsalProgress } from '$contract/rehearsals';
import { drawingOf } from '$core/drawing';
import type { Route, Workshop } from '$core/planning';
import { explainNotRehearsed, type ExecutionProof } from '$core/executor';
import { success, type Outcome } from '$core/problem';
import { machineOf } from '$core/survey';
import { change, rows, transaction, type Db } from '../../store/database/database';
import { record } from '../../store/history/history';
import { lockJob } from '../version/jobVersion';
import { person } from '../../platform/requester';
import { selectToolSettings } from '../workshop/workshop';
import { checkRunImage, jobWith } from '../images/use';
import { runName } from './queue';
import { AT_FIRST } from './states';

/**
 * Puts the chosen route of a job into the queue. Refusals: `nothing-to-rehearse`, `stale-route`, `not-rehearsable`,
 * `under-way`, `image-under-way`, and those of {@link checkRunImage}.
 *
 * @returns its id
 */
export async function startRehearsal(
  job: Pick<Job, 'number' | 'survey' | 'target' | 'goal' | 'answer' | 'chosen'>,
  start: RehearsalStart,
  workshop: Workshop,
): Promise<Outcome<number>> {
  const { survey, target, goal, answer, chosen } = job;
  const { pace, place = 'stand-in', extent = 'quick' } = start;
  const route = answer?.routes[chosen];
  if (!survey || !target || !goal || !route) return refuse('nothing-to-rehearse');
  if (goal.stale) return refuse('stale-route');
  const disk = machineOf(survey.document).disks.find((one) => one.number === target.disk)!;
  const why = explainNotRehearsed(disk, route.steps);
  if (why) return refuse('not-rehearsable', { why });
  const image = place === 'stand-in' ? success(null) : await checkRunImage(survey.image, place, start.typed);
  if (!image.ok) return image;
  const { size, keepFreePercent, options } = goal;
  const source: SheetSource = {
    ...target,
    size,
    keepFreePercent,
    options,
    tools: selectToolSettings(workshop, [route.kit, ...(options.kits ?? [])]),
    drawing: drawingOf(route),
  };
  return transaction(async (db): Promise<Outcome<number>> => {
    const locked = await lockJob(db, job.number);
    if (!locked) return refuse('no-job', { number: job.number });
    const { id } = locked;
    if (image.value !== null) {
      // Two who begin on the same image wait for each other here, whichever jobs they are of.
      await rows(db, "SELECT last FROM counters WHERE name = 'rehearsals' FOR UPDATE");
      const busy = await jobWith(db, image.value);
      if (busy !== null) return refuse('image-under-way', { job: busy, image: image.value });
    }
    const [other] = await rows<{ who: string }>(
      db,
      `SELECT who FROM rehearsals WHERE job_id = ? AND state IN (${quoteList(ALIVE)}) LIMIT 1`,
      [id],
    );
    if (other) return refuse('under-way', { who: other.who });
    const { insertId } = await change(
      db,
      'INSERT INTO rehearsals (job_id, survey_id, goal_id, chosen, disk_number, route, made_of, pace, who, place, image, extent) VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?)',
      [
        id,
        survey.id,
        goal.id,
        chosen,
        target.disk,
        JSON.stringify(route),
        JSON.stringify(source),
        pace,
        person(),
        place,
        image.value,
        extent,
      ],
    );
    await record(db, id, `${runName({ place, image: image.value })} begun: ${route.title}.`);
    return success(insertId);
  });
}

/** Keeps a rehearsal that ended on another bench. */
export async function insertEndedRehearsal(
  db: Db,
  jobId: number,
  ended: {
    surveyId: number;
    goalId: number;
    chosen: number;
    route: Route;
    planned: PlannedGoal;
    proof: ExecutionProof;
    who: string;
    createdAt: string;
    endedAt: string;
  },
): Promise<void> {
  const { surveyId, goalId, chosen, route, planned, proof, who, createdAt, endedAt } = ended;
  const { disk, partition, size, keepFreePercent, options, tools } = planned;
  const source: SheetSource = {
    disk,
    partition,
    size,
    keepFreePercent,
    options,
    tools,
    drawing: drawingOf(route),
  };
  const progress: RehearsalProgress = {
    ...AT_FIRST,
    phase: 'over',
    step: route.steps.length,
    cuts: proof.cuts,
    written: proof.steps.map(({ written }) => written),
  };
  await change(
    db,
    `INSERT INTO rehearsals (job_id, survey_id, goal_id, chosen, disk_number, route, made_of, state, progress, verdict, proof, who,
                             created_at, changed_at, elsewhere)
     VALUES (?, ?, ?, ?, ?, ?, ?, 'ended', ?, ?, ?, ?, ?, ?, TRUE)`,
    [
      jobId,
      surveyId,
      goalId,
      chosen,
      disk,
      JSON.stringify(route),
      JSON.stringify(source),
      JSON.stringify(progress),
      proof.verdict,
      JSON.stringify(proof),
      who,
      new Date(createdAt),
      new Date(endedAt),
    ],
  );
}
