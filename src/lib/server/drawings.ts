import { Drawing } from '$core/drawing';
import { change, database, insertMany, rows, transaction, type Db } from './database';
import { record } from './history/history';
import { locked } from './jobVersion';
import { kept, orUnshown } from './kept';
import { StaleCopy } from './staleCopy';

/** A drawing as a list shows it. */
export interface DrawingLine {
  id: number;
  name: string;
  kit: string;
  steps: number;
  updatedAt: Date;
  /** A newer survey came since. */
  stale: boolean;
}

/** A drawing with every state that it was in. */
export interface SavedDrawing {
  id: number;
  name: string;
  surveyId: number;
  /** Which state is the present one, counted from 0. */
  position: number;
  edition: number;
  told: string[];
  states: Drawing[];
}

/** What a save changes: the first `keep` states stay, `add` come behind them. */
export interface DrawingChange {
  edition: number;
  keep: number;
  add: Drawing[];
  position: number;
  name?: string;
  told?: string[];
}

/** There is no such drawing, or what is to be kept of it is not there. */
export class NoSuchDrawing extends Error {}

const NEWEST_SURVEY = `(SELECT MAX(id) FROM surveys WHERE job_id = d.job_id AND purpose = 'found')`;

/** The drawings of a job, the one that was changed last first. */
export async function listDrawings(job: number): Promise<DrawingLine[]> {
  const found = await rows<
    Omit<DrawingLine, 'kit' | 'steps' | 'stale'> & { document: string; stale: number }
  >(
    database(),
    `SELECT d.id, d.name, d.updated_at AS updatedAt, s.document, d.survey_id <> ${NEWEST_SURVEY} AS stale
       FROM drawings d
       JOIN jobs j ON j.id = d.job_id
       JOIN drawing_states s ON s.drawing_id = d.id AND s.place = d.position
      WHERE j.number = ? ORDER BY d.updated_at DESC, d.id DESC`,
    [job],
  );
  return found.map(({ document, stale, ...line }) => {
    const now = orUnshown([], () => kept(document, Drawing, 'The drawing'));
    return { ...line, kit: now?.kit ?? '', steps: now?.steps.length ?? 0, stale: stale === 1 };
  });
}

/** One drawing of a job, or null. */
export async function findDrawing(job: number, id: number): Promise<SavedDrawing | null> {
  const [found] = await rows<Omit<SavedDrawing, 'told' | 'states'> & { told: string }>(
    database(),
    `SELECT d.id, d.name, d.survey_id AS surveyId, d.position, d.edition, d.told
       FROM drawings d JOIN jobs j ON j.id = d.job_id WHERE j.number = ? AND d.id = ?`,
    [job, id],
  );
  if (!found) return null;
  const states = await rows<{ document: string }>(
    database(),
    'SELECT document FROM drawing_states WHERE drawing_id = ? ORDER BY place',
    [id],
  );
  return {
    ...found,
    told: JSON.parse(found.told) as string[],
    states: states.map(({ document }) => kept(document, Drawing, 'The drawing')),
  };
}

/** Keeps a new drawing on the job's newest survey. @returns its id */
export async function createDrawing(
  job: number,
  name: string,
  states: Drawing[],
  position: number,
): Promise<number> {
  return transaction(async (db) => {
    const { id: jobId } = await locked(db, job);
    const [survey] = await rows<{ id: number }>(
      db,
      "SELECT MAX(id) AS id FROM surveys WHERE job_id = ? AND purpose = 'found'",
      [jobId],
    );
    const id = await insertDrawing(db, jobId, survey!.id, { name, states, position, told: [] });
    await record(db, jobId, `Drawing begun: ${name}.`);
    return id;
  });
}

export async function insertDrawing(
  db: Db,
  jobId: number,
  survey: number,
  { name, position, told, states }: Pick<SavedDrawing, 'name' | 'position' | 'told' | 'states'>,
): Promise<number> {
  const { insertId } = await change(
    db,
    'INSERT INTO drawings (job_id, survey_id, name, position, told) VALUES (?, ?, ?, ?, ?)',
    [jobId, survey, name, position, JSON.stringify(told)],
  );
  await append(db, insertId, 0, states);
  return insertId;
}

/** Saves what changed in a drawing, or refuses where somebody else saved since. @returns the new edition */
export async function saveDrawing(job: number, id: number, save: DrawingChange): Promise<number> {
  return transaction(async (db) => {
    const [row] = await rows<{ edition: number; count: number }>(
      db,
      `SELECT d.edition, (SELECT COUNT(*) FROM drawing_states WHERE drawing_id = d.id) AS count
         FROM drawings d JOIN jobs j ON j.id = d.job_id WHERE j.number = ? AND d.id = ? FOR UPDATE`,
      [job, id],
    );
    if (!row) throw new NoSuchDrawing();
    if (row.edition !== save.edition) throw new StaleCopy(row.edition);
    const count = save.keep + save.add.length;
    if (save.keep > row.count || save.position >= count) throw new NoSuchDrawing();
    await change(db, 'DELETE FROM drawing_states WHERE drawing_id = ? AND place >= ?', [id, save.keep]);
    await append(db, id, save.keep, save.add);
    await change(
      db,
      `UPDATE drawings SET position = ?, name = COALESCE(?, name), told = COALESCE(?, told), edition = edition + 1,
              updated_at = UTC_TIMESTAMP(3) WHERE id = ?`,
      [save.position, save.name ?? null, save.told ? JSON.stringify(save.told) : null, id],
    );
    return row.edition + 1;
  });
}

/** @returns false where there is none */
export async function deleteDrawing(job: number, id: number): Promise<boolean> {
  return transaction(async (db) => {
    const { id: jobId } = await locked(db, job);
    const [found] = await rows<{ name: string }>(
      db,
      'SELECT name FROM drawings WHERE job_id = ? AND id = ?',
      [jobId, id],
    );
    if (!found) return false;
    await change(db, 'DELETE FROM drawings WHERE id = ?', [id]);
    await record(db, jobId, `Drawing thrown away: ${found.name}.`);
    return true;
  });
}

const append = (db: Db, id: number, from: number, states: readonly Drawing[]): Promise<void> =>
  insertMany(
    db,
    'drawing_states',
    'drawing_id, place, document',
    states.map((state, i) => [id, from + i, JSON.stringify(state)]),
  );
