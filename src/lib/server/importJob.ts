import { layoutsAlong } from '$core/steps';
import { randomUUID } from 'node:crypto';
import { type GoalOptions, type RoutesAnswer } from '$core/planning';
import { failure, success, type Outcome, type Problem } from '$core/problem';
import { checkSurvey, machineOf } from '$core/survey';
import {
  itemsOf,
  progressOf,
  SHEET_FORMAT,
  stepsOf,
  stripPicture,
  toMarkdown,
  type Tick,
  type WorkSheet,
} from '$core/worksheet';
import { reportOf, type LayoutProof } from '$core/proof';
import { change, transaction, type Db } from './database';
import { firstBroken, record } from './history';
import type { JobParts } from './jobFile';
import { insertDrawing } from './drawings';
import { nextNumber, setTarget } from './jobs';
import { insertGoal } from './goals';
import { insertSurvey } from './saveSurvey';
import { faultIn } from './schemas';
import { insertTick } from './sheets';
import { updateStage } from './stage';

/**
 * Takes over a job from another bench, under the next free number here. All of it is saved, or nothing. Problem codes:
 * `wrong` (a part does not fit), `history` (an entry is not as it was written).
 */
export async function importJob(parts: JobParts): Promise<Outcome<{ number: number }>> {
  const problem = firstProblem(parts);
  if (problem) return failure(problem);
  return transaction(async (db) => success({ number: await insertAll(db, parts) }));
}

const wrong = (part: keyof JobParts, at: number | null, what: string): Problem => ({
  code: 'wrong',
  path: `/${part}${at === null ? '' : `/${at}`}`,
  message: `${part}${at === null ? '' : `, entry ${at + 1}`}: ${what} Nothing was taken over.`,
});

function firstProblem(parts: JobParts): Problem | null {
  const {
    'job.json': job,
    'surveys.json': surveys,
    'goals.json': goals,
    'drawings.json': drawings,
    'sheets.json': sheets,
    'history.json': history,
  } = parts;
  for (const [name, part] of Object.entries(parts)) {
    if (name !== 'job.json' && !Array.isArray(part))
      return wrong(name as keyof JobParts, null, 'It is no list.');
  }
  const fault = faultIn('job-details', { version: 1, ...job });
  if (fault) return wrong('job.json', null, fault);
  for (const [i, { document }] of surveys.entries()) {
    const fault = faultIn('survey', document);
    if (fault) return wrong('surveys.json', i, fault);
    const [first] = checkSurvey(document);
    if (first) return wrong('surveys.json', i, first.message);
  }
  const known = (place: number): boolean => surveys[place] !== undefined;
  for (const [i, goal] of goals.entries()) {
    if (!known(goal.survey)) return wrong('goals.json', i, 'It names a survey that is not there.');
    const { size, options, answer } = goal;
    const fault = faultIn('save-goal', { version: 1, size, options, answer });
    if (fault) return wrong('goals.json', i, fault);
    const disk = machineOf(surveys[goal.survey]!.document).disks.find((one) => one.number === goal.disk);
    if (!disk) return wrong('goals.json', i, 'It names a disk that is not there.');
    for (const route of (goal.answer as RoutesAnswer).routes) {
      const layouts = layoutsAlong(disk, route.steps);
      if (!layouts.ok)
        return wrong('goals.json', i, `A route does not fit the disk: ${layouts.problems[0]!.message}.`);
    }
  }
  for (const [i, { survey, ...drawing }] of drawings.entries()) {
    if (!known(survey)) return wrong('drawings.json', i, 'It names a survey that is not there.');
    const fault = faultIn('new-drawing', drawing);
    if (fault) return wrong('drawings.json', i, fault);
  }
  for (const [i, sheet] of sheets.entries()) {
    if (!known(sheet.survey)) return wrong('sheets.json', i, 'It names a survey that is not there.');
    if (sheet.document?.format !== SHEET_FORMAT || sheet.document.version !== 1) {
      return wrong('sheets.json', i, 'It is no work sheet of a version that is known here.');
    }
    const fault = faultIn('ticks', { ticks: sheet.ticks });
    if (fault) return wrong('sheets.json', i, fault);
    if (thrown(() => shown(sheet.document, sheet.ticks))) {
      return wrong('sheets.json', i, 'It lacks something that a work sheet has.');
    }
    const proof = sheet.proofs.find((one) => !isProof(sheet, one));
    if (proof) return wrong('sheets.json', i, 'It holds a proof that is none.');
    if (
      sheet.proofs.some((proof) => proof.kind === 'layout' && (proof.survey === null || !known(proof.survey)))
    ) {
      return wrong('sheets.json', i, 'A proof names a survey that is not there.');
    }
  }
  const broken = firstBroken(history.map((one) => ({ ...one, at: new Date(one.at) })));
  return broken === null
    ? null
    : {
        code: 'history',
        path: `/history.json/${broken}`,
        message: `The history was altered: its entry ${broken + 1} is not as it was written. Nothing was taken over.`,
      };
}

/** A sheet that can be written out, drawn and counted can be shown. @throws where it can't */
function shown(sheet: WorkSheet, ticks: readonly Tick[]): void {
  toMarkdown(sheet, { job: 0, customer: '', machine: '', address: '', made: '' });
  for (const pieces of [sheet.asFound, ...stepsOf(sheet).map((step) => step.see.pieces)]) {
    stripPicture(pieces, sheet.disk.sectorSize, null);
  }
  progressOf(sheet, ticks);
}

type ImportedSheet = JobParts['sheets.json'][number];

/** A proof of files has its schema; one of a layout is one if a report can be made of it. */
function isProof(
  { document, ticks }: ImportedSheet,
  { kind, document: proof }: ImportedSheet['proofs'][number],
): boolean {
  if (kind === 'files') return faultIn('file-proof', { version: 1, proof }) === null;
  const facts = { job: 0, customer: '', machine: '', sheet: document, ticks, files: null, date: '' };
  return thrown(() => void reportOf({ ...facts, layout: proof as LayoutProof })) === null;
}

function thrown(work: () => void): string | null {
  try {
    work();
    return null;
  } catch (error) {
    return (error as Error).message;
  }
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
    const here = {
      ...goal,
      surveyId: surveys[goal.survey]!,
      options: goal.options as GoalOptions,
      answer: goal.answer as RoutesAnswer,
    };
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
