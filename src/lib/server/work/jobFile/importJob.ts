import type { JobParts } from '$contract/jobFile';
import { randomUUID } from 'node:crypto';
import { unwrap, success, type Outcome } from '$core/problem';
import { itemsOf, progressOf } from '$core/worksheet';
import { takeFirstCharacters } from '$core/wellFormed';
import { change, insertMany, transaction, type Db } from '../../store/database/database';
import { insertDrawing } from '../drawings/drawings';
import { insertGoal } from '../goals/goals';
import { record, recordAtWorkshop, takeOverHistory } from '../../store/history/history';
import { insertHoldings } from '../holdings/holdings';
import { nextNumber } from '../jobs/changeJob';
import { setTarget } from '../surveys/target';
import { insertEndedRehearsal } from '../rehearsals/start';
import { insertSurvey } from '../surveys/insertSurvey';
import { TICK_COLUMNS, tickRow } from '../sheets/sheets';
import { updateStage } from '../version/stage';
import { runInWorker } from '../../platform/threads/runInWorker';
import { checkImportTask, type CheckedJob } from './checkImport';

/**
 * Takes over a job from another workshop, under the next free number here. All of it is saved, or nothing.
 * Problem codes: those of `checkImport`.
 */
export async function importJob(packed: Uint8Array): Promise<Outcome<{ number: number }>> {
  const checked = await runInWorker(checkImportTask, packed);
  if (!checked.ok) return checked;
  return transaction(async (db) => success({ number: await insertAll(db, checked.value) }));
}

async function insertAll(db: Db, { parts, weighed, remark }: CheckedJob): Promise<number> {
  const job = parts['job.json'];
  const number = await nextNumber(db);
  const { insertId: jobId } = await change(
    db,
    'INSERT INTO jobs (number, customer, machine, notes, due, created_at) VALUES (?, ?, ?, ?, ?, ?)',
    [number, job.customer, job.machine, job.notes, job.due, new Date(job.createdAt)],
  );
  await takeOverHistory(
    db,
    jobId,
    parts['history.json'].map(({ at, who, what }) => ({ at: new Date(at), who, what })),
  );
  const surveys: number[] = [];
  for (const one of parts['surveys.json']) {
    surveys.push(
      await insertSurvey(db, jobId, one.document, one.source, one.purpose, {
        createdAt: new Date(one.createdAt),
      }),
    );
  }
  for (const [i, { survey, choices }] of parts['holdings.json'].entries())
    await insertHoldings(db, surveys[survey]!, weighed[i]!, choices);
  const newest = parts['surveys.json'].findLast((one) => one.purpose === 'found');
  // Its check has seen that the target is there.
  if (newest) unwrap(await setTarget(db, jobId, newest.document, job.target));
  const goals: number[] = [];
  for (const goal of parts['goals.json']) {
    const here = { ...goal, tools: goal.tools ?? {}, surveyId: surveys[goal.survey]! };
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
  for (const one of parts['rehearsals.json']) {
    const goal = parts['goals.json'][one.goal]!;
    await insertEndedRehearsal(db, jobId, {
      ...one,
      goalId: goals[one.goal]!,
      surveyId: surveys[goal.survey]!,
      route: goal.answer.routes[one.chosen]!,
      planned: { ...goal, tools: goal.tools ?? {} },
    });
  }
  const from = `Taken over from another bench, where it was job ${job.number}.`;
  await record(db, jobId, remark === '' ? from : `${from} ${remark}`);
  await recordAtWorkshop(
    db,
    `Job ${number} (${job.customer}, ${job.machine}) taken over from another bench.`,
  );
  await updateStage(db, jobId);
  return number;
}

async function insertSheet(
  db: Db,
  jobId: number,
  surveys: readonly number[],
  { survey, origin, document, madeOf, createdAt, ticks, proofs }: JobParts['sheets.json'][number],
): Promise<void> {
  const progress = progressOf(document, ticks);
  const { insertId } = await change(
    db,
    `INSERT INTO sheets (job_id, survey_id, origin, document, made_of, items, done, failed, created_at)
     VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?)`,
    [
      jobId,
      surveys[survey]!,
      JSON.stringify(origin),
      JSON.stringify(document),
      JSON.stringify(madeOf),
      itemsOf(document).length,
      progress.done,
      progress.failed ? takeFirstCharacters(progress.failed.title, 250) : null,
      new Date(createdAt),
    ],
  );
  // An id only keeps a tick that is sent twice from being kept twice; the same job may be on this workshop already.
  const own = ticks.map((tick) => tickRow(insertId, { ...tick, id: randomUUID() }));
  await insertMany(db, 'ticks', TICK_COLUMNS, own);
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
