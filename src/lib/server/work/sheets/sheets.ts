import type { SheetOrigin, SheetSource } from '$contract/sheetSource';
import type { Job } from '$contract/jobs';
import type { SavedSheet, SheetLine } from '$contract/sheets';
import type { SavedDrawing } from '$contract/drawings';
import { refuse } from '$contract/problems';
import type { RoutesAnswer, Workshop } from '$core/planning';
import { drawingOf, type Drawing } from '$core/drawing';
import { preparationsOf, type Preparation } from '$core/holdings';
import { failure, success, type Outcome } from '$core/problem';
import type { SurveyDocument } from '$core/survey';
import { itemsOf, progressOf, tickProblem, WorkSheetShape, type Tick, type WorkSheet } from '$core/worksheet';
import { takeFirstCharacters } from '$core/wellFormed';
import {
  change,
  database,
  insertMany,
  rows,
  transaction,
  type SqlValue,
  type Db,
} from '../../store/database/database';
import { recordAll } from '../../store/history/history';
import { loadDocument, loadSurvey } from '../../store/documents/loadDocument';
import { lockJob, withJobVersion } from '../version/jobVersion';
import { readRehearsalLine } from '../rehearsals/rehearsals';
import { updateStage } from '../version/stage';
import { runInWorker } from '../../platform/threads/runInWorker';
import { makeSheetTask } from '../goals/sheetSource';
import { selectToolSettings } from '../workshop/workshop';

/** A sheet that was made, and what of. */
export interface NewSheet {
  sheet: WorkSheet;
  origin: SheetOrigin;
  surveyId: number;
  source: SheetSource;
}

/** Parts of a job that a sheet is made of. */
type SheetJob = Pick<Job, 'survey' | 'target' | 'goal' | 'answer' | 'chosen' | 'holdings'>;

/**
 * Makes the sheet of the chosen route, or of a drawing. Refusals: `stale-plan`, `goal-first`, `no-route-found`, and
 * those of the work sheet and the planner.
 */
export async function sheetFor(
  job: SheetJob,
  workshop: Workshop,
  drawing: SavedDrawing | null,
): Promise<Outcome<NewSheet>> {
  const { survey, target, goal, answer, chosen } = job;
  if (!survey || !target || !goal) return refuse('goal-first');
  if (drawing ? drawing.surveyId !== survey.id : goal.stale)
    return refuse('stale-plan', { of: drawing ? 'drawing' : 'route' });
  const steps = drawing ? drawing.states[drawing.position]! : routeDrawn(answer, chosen);
  if (!steps) return refuse('no-route-found');
  const { size, keepFreePercent, options } = goal;
  const tools = selectToolSettings(workshop, [steps.kit, ...(options.kits ?? [])]);
  const first = listPreparations(job);
  const source: SheetSource = {
    ...target,
    size,
    keepFreePercent,
    options,
    tools,
    drawing: steps,
    ...(first.length > 0 && { first }),
  };
  const made = await runInWorker(makeSheetTask, { survey: survey.document, source });
  if (!made.ok) return made;
  const origin: SheetOrigin = drawing
    ? { kind: 'drawing', id: drawing.id, edition: drawing.edition, name: drawing.name }
    : { kind: 'route', goal: goal.id, chosen };
  return success({ sheet: made.value, origin, surveyId: survey.id, source });
}

/** Preparations that were chosen. */
export const listPreparations = ({ holdings }: Pick<Job, 'holdings'>): Preparation[] =>
  holdings ? preparationsOf(holdings.found, holdings.choices) : [];

export const routeDrawn = (answer: RoutesAnswer | null, chosen: number): Drawing | null => {
  const route = answer?.routes[chosen];
  return route ? drawingOf(route) : null;
};

/** Keeps a sheet; the newest one of a job is worked from. */
export const saveSheet = (
  number: number,
  version: number,
  { sheet, origin, surveyId, source }: NewSheet,
): Promise<Outcome<number>> =>
  withJobVersion(number, version, async (db, id) => {
    await change(
      db,
      'INSERT INTO sheets (job_id, survey_id, origin, document, made_of, items) VALUES (?, ?, ?, ?, ?, ?)',
      [
        id,
        surveyId,
        JSON.stringify(origin),
        JSON.stringify(sheet),
        JSON.stringify(source),
        itemsOf(sheet).length,
      ],
    );
    return `Work sheet made${origin.kind === 'drawing' ? ` of the drawing ${origin.name}` : ''}: ${sheet.title}.`;
  });

interface SheetRow {
  id: number;
  survey_id: number;
  origin: string;
  document: string;
  /** JSON; null where nothing is done first. */
  first: string | null;
  /** JSON; null on sheets from before this was kept. */
  steps: string | null;
  despite: string | null;
  created_at: string;
}

/** The job's newest sheet with its ticks, or the one of that id; null where there is none. */
export async function findSheet(number: number, id?: number): Promise<SavedSheet | null> {
  const [row] = await rows<SheetRow>(
    database(),
    `SELECT h.id, h.survey_id, h.origin, h.document, h.despite, JSON_EXTRACT(h.made_of, '$.first') AS first,
            JSON_EXTRACT(h.made_of, '$.drawing') AS steps, h.created_at
       FROM sheets h JOIN jobs j ON j.id = h.job_id
      WHERE j.number = ?${id === undefined ? '' : ' AND h.id = ?'} ORDER BY h.id DESC LIMIT 1`,
    id === undefined ? [number] : [number, id],
  );
  if (!row) return null;
  const origin = JSON.parse(row.origin) as SheetOrigin;
  return {
    id: row.id,
    surveyId: row.survey_id,
    origin,
    document: loadDocument(row.document, WorkSheetShape, 'The work sheet'),
    made: {
      first: row.first === null ? [] : JSON.parse(row.first),
      steps: row.steps === null ? null : JSON.parse(row.steps),
    },
    despite: row.despite,
    createdAt: row.created_at,
    ticks: await ticksOf(database(), row.id),
    rehearsed: origin.kind === 'route' ? await readRehearsalLine(origin.goal, origin.chosen) : null,
  };
}

export const listSheets = (number: number): Promise<SheetLine[]> =>
  rows<SheetLine>(
    database(),
    `SELECT h.id, JSON_VALUE(h.document, '$.title') AS title, h.created_at AS createdAt, h.items, h.done, h.failed
       FROM sheets h JOIN jobs j ON j.id = h.job_id WHERE j.number = ? ORDER BY h.id DESC`,
    [number],
  );

async function ticksOf(db: Db, sheet: number): Promise<Tick[]> {
  const found = await rows<Omit<Tick, 'answers'> & { answers: string }>(
    db,
    'SELECT id, item, outcome, who, at, note, seconds, answers FROM ticks WHERE sheet_id = ? ORDER BY at, id',
    [sheet],
  );
  return found.map(({ answers, ...tick }) => ({
    ...tick,
    answers: JSON.parse(answers) as Tick['answers'],
  }));
}

/**
 * Keeps ticks; those that are there already are left as they are, so a device may send them as often as it likes.
 * Where one can't be kept, none is. Refusals: `no-sheet`, `other-sheet`, and those of `tickProblem`.
 */
export async function addTicks(number: number, id: number, ticks: readonly Tick[]): Promise<Outcome<Tick[]>> {
  return transaction(async (db): Promise<Outcome<Tick[]>> => {
    const job = await lockJob(db, number);
    if (!job) return refuse('no-job', { number });
    const jobId = job.id;
    const [row] = await rows<Pick<SheetRow, 'document'>>(
      db,
      'SELECT document FROM sheets WHERE job_id = ? AND id = ? FOR UPDATE',
      [jobId, id],
    );
    if (!row) return refuse('no-sheet', { job: number, id });
    const sheet = loadDocument(row.document, WorkSheetShape, 'The work sheet');
    const known = await ticksOf(db, id);
    const have = new Set(known.map((tick) => tick.id));
    const fresh = [...new Map(ticks.map((tick) => [tick.id, tick])).values()].filter(
      (tick) => !have.has(tick.id),
    );
    const items = new Map(itemsOf(sheet).map((item) => [item.id, item]));
    const elsewhere = await takenElsewhere(db, id, fresh);
    if (elsewhere) return elsewhere;
    const problem = fresh
      .map((tick, i) => tickProblem(items.get(tick.item), tick, i))
      .find((one) => one !== null);
    if (problem) return failure(problem);
    await insertMany(
      db,
      'ticks',
      TICK_COLUMNS,
      fresh.map((tick) => tickRow(id, tick)),
    );
    const told = fresh.map((tick) => ({
      who: tick.who,
      what: tickSentence(items.get(tick.item)!.title, tick),
    }));
    await recordAll(db, jobId, told);
    if (fresh.length > 0) {
      const progress = progressOf(sheet, [...known, ...fresh]);
      await change(db, 'UPDATE sheets SET done = ?, failed = ? WHERE id = ?', [
        progress.done,
        progress.failed ? takeFirstCharacters(progress.failed.title, 250) : null,
        id,
      ]);
      await change(db, 'UPDATE jobs SET updated_at = UTC_TIMESTAMP(3) WHERE id = ?', [jobId]);
      await updateStage(db, jobId);
    }
    return { ok: true, value: await ticksOf(db, id) };
  });
}

/** Ids are made by devices, each once: one that stands on another sheet was sent to the wrong one. */
async function takenElsewhere(
  db: Db,
  sheet: number,
  ticks: readonly Tick[],
): Promise<ReturnType<typeof refuse> | null> {
  if (ticks.length === 0) return null;
  const marks = ticks.map(() => '?').join(', ');
  const sql = `SELECT id FROM ticks WHERE sheet_id <> ? AND id IN (${marks}) LIMIT 1`;
  const [taken] = await rows<{ id: string }>(db, sql, [sheet, ...ticks.map(({ id }) => id)]);
  if (!taken) return null;
  const at = ticks.findIndex(({ id }) => id.toLowerCase() === taken.id.toLowerCase());
  return refuse('other-sheet', undefined, { path: `/ticks/${at}/id` });
}

export const TICK_COLUMNS = 'id, sheet_id, item, outcome, who, at, note, seconds, answers';

export const tickRow = (sheet: number, tick: Tick): SqlValue[] => [
  tick.id,
  sheet,
  tick.item,
  tick.outcome,
  tick.who,
  new Date(tick.at),
  tick.note,
  tick.seconds,
  JSON.stringify(tick.answers),
];

const OUTCOME = { done: 'Done', failed: 'Failed', undone: 'Taken back' };

/** When it was done by the device's clock stands in the sentence; when it arrived here, in the entry itself. */
const tickSentence = (title: string, tick: Tick): string =>
  [
    `${OUTCOME[tick.outcome]} on ${tick.at.slice(0, 16).replace('T', ', ')} UTC: ${title}.`,
    tick.seconds === null ? '' : `Measured ${tick.seconds} s.`,
    ...Object.values(tick.answers).map((text) => `“${text}”`),
    tick.note,
  ]
    .filter((part) => part !== '')
    .join(' ');

/** The survey that a sheet was made on. */
export async function surveyOf(sheet: Pick<SavedSheet, 'surveyId'>): Promise<SurveyDocument> {
  const [row] = await rows<{ document: string }>(database(), 'SELECT document FROM surveys WHERE id = ?', [
    sheet.surveyId,
  ]);
  return loadSurvey(row!.document);
}
