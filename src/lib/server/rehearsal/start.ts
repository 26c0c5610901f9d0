import { drawingOf } from '$core/drawing';
import type { Route, Workshop } from '$core/planning';
import { whyNotRehearsed, type BenchProof, type Stock } from '$core/bench';
import { failure, success, type Outcome } from '$core/problem';
import { machineOf } from '$core/survey';
import { change, rows, transaction, type Db } from '../database';
import { record } from '../history/history';
import type { Job } from '../jobs';
import { locked } from '../jobVersion';
import type { Asking, Making } from '../making';
import { person } from '../requester';
import { toolsFor } from '../workshop';
import { imageFor, jobWith } from '../images/use';
import { runName } from './queue';
import { ALIVE, AT_FIRST, quoted, type Pace, type RehearsalProgress, type RunPlace } from './states';

const refuse = (code: string, message: string) => failure({ code, path: '', message });

/** What is begun. */
export interface Start {
  pace: Pace;
  /** A stand-in where nothing is said. */
  place?: RunPlace;
  /** The name of the image, as it was typed: without it nothing is carried out on the image itself. */
  typed?: string;
  /** What is read for the proof of a run on an image; what is moved where nothing is said. */
  extent?: Stock['extent'];
}

/**
 * Puts the chosen route of a job into the queue. Problem codes: `no-route`, `stale`, `not-rehearsable`, `under-way`, and those of {@link imageFor}.
 *
 * @returns its id
 */
export async function startRehearsal(job: Job, start: Start, workshop: Workshop): Promise<Outcome<number>> {
  const { survey, target, goal, answer, chosen } = job;
  const { pace, place = 'stand-in', extent = 'quick' } = start;
  const route = answer?.routes[chosen];
  if (!survey || !target || !goal || !route)
    return refuse(
      'no-route',
      'There is no route to rehearse yet. Give the job a survey, a target and a size first.',
    );
  if (goal.stale)
    return refuse(
      'stale',
      'The survey, the target, the tools or the rates changed after this route was planned. Plan it again.',
    );
  const disk = machineOf(survey.document).disks.find((one) => one.number === target.disk)!;
  const why = whyNotRehearsed(disk, route.steps);
  if (why) return refuse('not-rehearsable', why);
  const image = place === 'stand-in' ? success(null) : await imageFor(survey.image, place, start.typed);
  if (!image.ok) return image;
  const { size, keepFreePercent, options } = goal;
  const making: Making = {
    ...target,
    size,
    keepFreePercent,
    options,
    tools: toolsFor(workshop, [route.kit, ...(options.kits ?? [])]),
    drawing: drawingOf(route),
  };
  return transaction(async (db) => {
    const { id } = await locked(db, job.number);
    if (image.value !== null) {
      // Two who begin on the same image wait for each other here, whichever jobs they are of.
      await rows(db, "SELECT last FROM counters WHERE name = 'rehearsals' FOR UPDATE");
      const busy = await jobWith(db, image.value);
      if (busy !== null)
        return refuse(
          'under-way',
          `Job ${busy} is being carried out on ${image.value} or a copy of it already. End that first.`,
        );
    }
    const [other] = await rows<{ who: string }>(
      db,
      `SELECT who FROM rehearsals WHERE job_id = ? AND state IN (${quoted(ALIVE)}) LIMIT 1`,
      [id],
    );
    if (other) {
      const by = other.who ? ` (${other.who} began it)` : '';
      return refuse('under-way', `A rehearsal of this job is under way${by}. End it first, or watch it.`);
    }
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
        JSON.stringify(making),
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
    asking: Asking;
    proof: BenchProof;
    who: string;
    createdAt: string;
    endedAt: string;
  },
): Promise<void> {
  const { surveyId, goalId, chosen, route, asking, proof, who, createdAt, endedAt } = ended;
  const { disk, partition, size, keepFreePercent, options, tools } = asking;
  const making: Making = {
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
      JSON.stringify(making),
      JSON.stringify(progress),
      proof.verdict,
      JSON.stringify(proof),
      who,
      new Date(createdAt),
      new Date(endedAt),
    ],
  );
}
