import { randomUUID } from 'node:crypto';
import { failure, success, type Outcome, type Problem } from '$core/problem';
import { layoutsAlong } from '$core/steps';
import { checkSurvey, machineOf } from '$core/survey';
import { itemsOf, progressOf } from '$core/worksheet';
import { change, transaction, type Db } from './database';
import { insertDrawing } from './drawings';
import { insertGoal } from './goals';
import { firstBroken, record } from './history';
import type { JobParts } from './jobParts';
import { nextNumber, setTarget } from './jobs';
import { insertSurvey } from './saveSurvey';
import { faultIn, isBody } from './schemas';
import { insertTick } from './sheets';
import { updateStage } from './stage';

/**
 * Takes over a job from another bench, under the next free number here. All of it is saved, or nothing. Problem codes:
 * `wrong` (a part does not fit), `history` (an entry is not as it was written).
 */
export async function importJob(parts: Record<string, unknown>): Promise<Outcome<{ number: number }>> {
  if (!isBody('job-parts', parts)) {
    const { path, message } = faultIn('job-parts', parts)!;
    const [, part = '', at] = path.split('/');
    return failure(wrong(part, at === undefined || at === '' ? null : Number(at), message));
  }
  const problem = firstProblem(parts);
  if (problem) return failure(problem);
  return transaction(async (db) => success({ number: await insertAll(db, parts) }));
}

const wrong = (part: string, at: number | null, what: string): Problem => ({
  code: 'wrong',
  path: `/${part}${at === null ? '' : `/${at}`}`,
  message: `${part}${at === null ? '' : `, entry ${at + 1}`}: ${what} Nothing was taken over.`,
});

/** What a part says of another that is not so; null: all of it hangs together. */
function firstProblem(parts: JobParts): Problem | null {
  const surveys = parts['surveys.json'];
  for (const [i, { document }] of surveys.entries()) {
    const [first] = checkSurvey(document);
    if (first) return wrong('surveys.json', i, first.message);
  }
  for (const name of ['goals.json', 'drawings.json', 'sheets.json'] as const) {
    const at = parts[name].findIndex(({ survey }) => !surveys[survey]);
    if (at >= 0) return wrong(name, at, 'It names a survey that is not there.');
  }
  for (const [i, goal] of parts['goals.json'].entries()) {
    const disk = machineOf(surveys[goal.survey]!.document).disks.find((one) => one.number === goal.disk);
    if (!disk) return wrong('goals.json', i, 'It names a disk that is not there.');
    for (const { steps } of goal.answer.routes) {
      const layouts = layoutsAlong(disk, steps);
      if (!layouts.ok)
        return wrong('goals.json', i, `A route does not fit the disk: ${layouts.problems[0]!.message}.`);
    }
  }
  for (const [i, { proofs }] of parts['sheets.json'].entries()) {
    if (proofs.some(({ survey }) => survey !== null && !surveys[survey]))
      return wrong('sheets.json', i, 'A proof names a survey that is not there.');
  }
  const broken = firstBroken(parts['history.json'].map((one) => ({ ...one, at: new Date(one.at) })));
  return broken === null
    ? null
    : {
        code: 'history',
        path: `/history.json/${broken}`,
        message: `The history was altered: its entry ${broken + 1} is not as it was written. Nothing was taken over.`,
      };
}

async function insertAll(db: Db, parts: JobParts): Promise<number> {
  const job = parts['job.json'];
  const number = await nextNumber(db);
  const { insertId: jobId } = await change(
    db,
    'INSERT INTO jobs (number, customer, machine, notes, due, created_at) VALUES (?, ?, ?, ?, ?, ?)',
    [number, job.customer, job.machine, job.notes, job.due, new Date(job.createdAt)],
  );
  for (const { at, who, what, seal } of parts['history.json']) {
    await change(db, 'INSERT INTO history (job_id, at, who, what, seal) VALUES (?, ?, ?, ?, ?)', [
      jobId,
      new Date(at),
      who,
      what,
      seal,
    ]);
  }
  const surveys: number[] = [];
  for (const one of parts['surveys.json']) {
    surveys.push(
      await insertSurvey(db, jobId, one.document, one.source, one.purpose, new Date(one.createdAt)),
    );
  }
  const newest = parts['surveys.json'].findLast((one) => one.purpose === 'found');
  if (newest) await setTarget(db, jobId, newest.document, job.target);
  const goals: number[] = [];
  for (const goal of parts['goals.json']) {
    const here = { ...goal, surveyId: surveys[goal.survey]! };
    goals.push(await insertGoal(db, jobId, here, goal.chosen, new Date(goal.createdAt)));
  }
  const drawings: number[] = [];
  for (const drawing of parts['drawings.json'])
    drawings.push(await insertDrawing(db, jobId, surveys[drawing.survey]!, drawing));
  for (const sheet of parts['sheets.json']) {
    const { origin } = sheet;
    const here =
      origin.kind === 'route'
        ? { ...origin, goal: goals[origin.goal] ?? 0 }
        : { ...origin, id: drawings[origin.id] ?? 0 };
    await insertSheet(db, jobId, surveys, { ...sheet, origin: here });
  }
  await record(db, jobId, `Taken over from another bench, where it was job ${job.number}.`);
  await updateStage(db, jobId);
  return number;
}

async function insertSheet(
  db: Db,
  jobId: number,
  surveys: readonly number[],
  { survey, origin, document, createdAt, ticks, proofs }: JobParts['sheets.json'][number],
): Promise<void> {
  const progress = progressOf(document, ticks);
  const { insertId } = await change(
    db,
    'INSERT INTO sheets (job_id, survey_id, origin, document, items, done, failed, created_at) VALUES (?, ?, ?, ?, ?, ?, ?, ?)',
    [
      jobId,
      surveys[survey]!,
      JSON.stringify(origin),
      JSON.stringify(document),
      itemsOf(document).length,
      progress.done,
      progress.failed?.title.slice(0, 250) ?? null,
      new Date(createdAt),
    ],
  );
  for (const tick of ticks) {
    // Its id only keeps one sent twice from being kept twice; the same job may be on this bench already.
    await insertTick(db, insertId, { ...tick, id: randomUUID() });
  }
  for (const proof of proofs) {
    await change(
      db,
      'INSERT INTO proofs (sheet_id, kind, survey_id, verdict, document, created_at) VALUES (?, ?, ?, ?, ?, ?)',
      [
        insertId,
        proof.kind,
        proof.survey === null ? null : surveys[proof.survey]!,
        proof.document.verdict,
        JSON.stringify(proof.document),
        new Date(proof.createdAt),
      ],
    );
  }
}
