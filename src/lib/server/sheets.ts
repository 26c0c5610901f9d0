import type { RoutesAnswer, Workshop } from '$core/planning';
import { drawingOf, type Drawing } from '$core/drawing';
import { firstOf, type First } from '$core/holdings';
import { failure, success, type Outcome, type Problem } from '$core/problem';
import type { SurveyDocument } from '$core/survey';
import { itemsOf, progressOf, tickProblem, WorkSheetShape, type Tick, type WorkSheet } from '$core/worksheet';
import { firstCharacters } from '$core/wellFormed';
import { change, database, insertMany, rows, transaction, type Bound, type Db } from './database';
import type { SavedDrawing } from './drawings';
import type { Origin } from './jobFile/parts';
import { recordAll } from './history/history';
import { kept, keptSurvey } from './kept';
import type { Making } from './making';
import { type Job } from './jobs';
import { locked, withJobVersion } from './jobVersion';
import { rehearsedLine } from './rehearsal/rehearsals';
import { updateStage } from './stage';
import { aside } from './threads/aside';
import { toolsFor } from './workshop';

export interface SavedSheet {
  id: number;
  surveyId: number;
  origin: Origin;
  document: WorkSheet;
  /** What it was made of, as far as that is held against what holds now. */
  made: { first: unknown; steps: unknown };
  /** What it was held against when somebody said to work from it all the same. */
  despite: string | null;
  createdAt: Date;
  ticks: Tick[];
  /** What the newest rehearsal of the same route came to, in a sentence; null: there is none. */
  rehearsed: string | null;
}

/** There is no such sheet. */
export class NoSuchSheet extends Error {}

/** A sheet that was made, and what of. */
export interface NewSheet {
  sheet: WorkSheet;
  origin: Origin;
  surveyId: number;
  making: Making;
}

/**
 * Makes the sheet of the chosen route, or of a drawing. Problem codes: `stale` (with what has changed since),
 * `no-goal`, `no-route`, and those of the work sheet and the planner.
 */
export async function sheetFor(
  job: Job,
  workshop: Workshop,
  drawing: SavedDrawing | null,
): Promise<Outcome<NewSheet>> {
  const refuse = (code: string, message: string) => failure({ code, path: '', message });
  const { survey, target, goal, answer, chosen } = job;
  if (!survey || !target || !goal) {
    return refuse('no-goal', 'Give the job a survey, a target and a size first.');
  }
  if (drawing ? drawing.surveyId !== survey.id : goal.stale) {
    const what = drawing ? 'This drawing was made on' : 'This route was planned with';
    return refuse(
      'stale',
      `${what} an earlier survey, target or set of tools and rates. Plan it again: a sheet with figures that no longer hold is not made.`,
    );
  }
  const steps = drawing ? drawing.states[drawing.position]! : routeDrawn(answer, chosen);
  if (!steps)
    return refuse('no-route', 'No route was found for this goal, so there is none to make a sheet of.');
  const { size, keepFreePercent, options } = goal;
  const tools = toolsFor(workshop, [steps.kit, ...(options.kits ?? [])]);
  const first = firstOfJob(job);
  const making: Making = {
    ...target,
    size,
    keepFreePercent,
    options,
    tools,
    drawing: steps,
    ...(first.length > 0 && { first }),
  };
  const made = await aside('makeSheet', { survey: survey.document, making });
  if (!made.ok) return made;
  const origin: Origin = drawing
    ? { kind: 'drawing', id: drawing.id, edition: drawing.edition, name: drawing.name }
    : { kind: 'route', goal: goal.id, chosen };
  return success({ sheet: made.value, origin, surveyId: survey.id, making });
}

/** What was chosen to be done before the work. */
export const firstOfJob = ({ holdings }: Job): First[] =>
  holdings ? firstOf(holdings.found, holdings.choices) : [];

export const routeDrawn = (answer: RoutesAnswer | null, chosen: number): Drawing | null => {
  const route = answer?.routes[chosen];
  return route ? drawingOf(route) : null;
};

/** Keeps a sheet; the newest one of a job is worked from. */
export const saveSheet = (
  number: number,
  version: number,
  { sheet, origin, surveyId, making }: NewSheet,
): Promise<number> =>
  withJobVersion(number, version, async (db, id) => {
    await change(
      db,
      'INSERT INTO sheets (job_id, survey_id, origin, document, made_of, items) VALUES (?, ?, ?, ?, ?, ?)',
      [
        id,
        surveyId,
        JSON.stringify(origin),
        JSON.stringify(sheet),
        JSON.stringify(making),
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
  created_at: Date;
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
  const origin = JSON.parse(row.origin) as Origin;
  return {
    id: row.id,
    surveyId: row.survey_id,
    origin,
    document: kept(row.document, WorkSheetShape, 'The work sheet'),
    made: {
      first: row.first === null ? [] : JSON.parse(row.first),
      steps: row.steps === null ? null : JSON.parse(row.steps),
    },
    despite: row.despite,
    createdAt: row.created_at,
    ticks: await ticksOf(database(), row.id),
    rehearsed: origin.kind === 'route' ? await rehearsedLine(origin.goal, origin.chosen) : null,
  };
}

/** A sheet of a job as a list shows it. */
export interface SheetLine {
  id: number;
  title: string;
  createdAt: Date;
  items: number;
  done: number;
  failed: string | null;
}

export const listSheets = (number: number): Promise<SheetLine[]> =>
  rows<SheetLine>(
    database(),
    `SELECT h.id, JSON_VALUE(h.document, '$.title') AS title, h.created_at AS createdAt, h.items, h.done, h.failed
       FROM sheets h JOIN jobs j ON j.id = h.job_id WHERE j.number = ? ORDER BY h.id DESC`,
    [number],
  );

async function ticksOf(db: Db, sheet: number): Promise<Tick[]> {
  const found = await rows<Omit<Tick, 'at' | 'answers'> & { at: Date; answers: string }>(
    db,
    'SELECT id, item, outcome, who, at, note, seconds, answers FROM ticks WHERE sheet_id = ? ORDER BY at, id',
    [sheet],
  );
  return found.map(({ at, answers, ...tick }) => ({
    ...tick,
    at: at.toISOString(),
    answers: JSON.parse(answers) as Tick['answers'],
  }));
}

/**
 * Keeps ticks; those that are there already are left as they are, so a device may send them as often as it likes.
 * @returns the problem where one can't be kept: none is then
 * @throws NoSuchSheet, NoSuchJob
 */
export async function addTicks(number: number, id: number, ticks: readonly Tick[]): Promise<Outcome<Tick[]>> {
  return transaction(async (db) => {
    const { id: jobId } = await locked(db, number);
    const [row] = await rows<Pick<SheetRow, 'document'>>(
      db,
      'SELECT document FROM sheets WHERE job_id = ? AND id = ? FOR UPDATE',
      [jobId, id],
    );
    if (!row) throw new NoSuchSheet();
    const sheet = kept(row.document, WorkSheetShape, 'The work sheet');
    const known = await ticksOf(db, id);
    const have = new Set(known.map((tick) => tick.id));
    const fresh = [...new Map(ticks.map((tick) => [tick.id, tick])).values()].filter(
      (tick) => !have.has(tick.id),
    );
    const items = new Map(itemsOf(sheet).map((item) => [item.id, item]));
    const elsewhere = await takenElsewhere(db, id, fresh);
    if (elsewhere) return failure(elsewhere);
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
        progress.failed ? firstCharacters(progress.failed.title, 250) : null,
        id,
      ]);
      await change(db, 'UPDATE jobs SET updated_at = UTC_TIMESTAMP(3) WHERE id = ?', [jobId]);
      await updateStage(db, jobId);
    }
    return { ok: true, value: await ticksOf(db, id) };
  });
}

/** Ids are made by devices, each once: one that stands on another sheet was sent to the wrong one. */
async function takenElsewhere(db: Db, sheet: number, ticks: readonly Tick[]): Promise<Problem | null> {
  if (ticks.length === 0) return null;
  const marks = ticks.map(() => '?').join(', ');
  const sql = `SELECT id FROM ticks WHERE sheet_id <> ? AND id IN (${marks}) LIMIT 1`;
  const [taken] = await rows<{ id: string }>(db, sql, [sheet, ...ticks.map(({ id }) => id)]);
  if (!taken) return null;
  const at = ticks.findIndex(({ id }) => id.toLowerCase() === taken.id.toLowerCase());
  const message = 'This was ticked on another sheet already. Open the sheet that it belongs to.';
  return { code: 'other-sheet', path: `/ticks/${at}/id`, message };
}

export const TICK_COLUMNS = 'id, sheet_id, item, outcome, who, at, note, seconds, answers';

export const tickRow = (sheet: number, tick: Tick): Bound[] => [
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
  return keptSurvey(row!.document);
}
