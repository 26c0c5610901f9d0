import type { DrawingChange, DrawingLine, SavedDrawing } from '$contract/drawings';
import { refuse } from '$contract/problems';
import { success, type Outcome } from '$core/problem';
import { Drawing } from '$core/drawing';
import { change, database, insertMany, rows, transaction, type Db } from '../../store/database/database';
import { record } from '../../store/history/history';
import { lockJob } from '../version/jobVersion';
import { loadDocument, loadOrNull } from '../../store/documents/loadDocument';

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
    const now = loadOrNull([], () => loadDocument(document, Drawing, 'The drawing'));
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
    states: states.map(({ document }) => loadDocument(document, Drawing, 'The drawing')),
  };
}

/** Keeps a new drawing on the job's newest survey. Refusal: `no-job`. @returns its id */
export async function createDrawing(
  job: number,
  name: string,
  states: Drawing[],
  position: number,
): Promise<Outcome<number>> {
  return transaction(async (db): Promise<Outcome<number>> => {
    const locked = await lockJob(db, job);
    if (!locked) return refuse('no-job', { number: job });
    const jobId = locked.id;
    const [survey] = await rows<{ id: number }>(
      db,
      "SELECT MAX(id) AS id FROM surveys WHERE job_id = ? AND purpose = 'found'",
      [jobId],
    );
    const id = await insertDrawing(db, jobId, survey!.id, { name, states, position, told: [] });
    await record(db, jobId, `Drawing begun: ${name}.`);
    return success(id);
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

/**
 * Saves what changed in a drawing. Refusals: `no-drawing` (also where states that are to stay are not there),
 * `stale-drawing`. @returns the new edition
 */
export async function saveDrawing(job: number, id: number, save: DrawingChange): Promise<Outcome<number>> {
  return transaction(async (db): Promise<Outcome<number>> => {
    const [row] = await rows<{ edition: number; count: number }>(
      db,
      `SELECT d.edition, (SELECT COUNT(*) FROM drawing_states WHERE drawing_id = d.id) AS count
         FROM drawings d JOIN jobs j ON j.id = d.job_id WHERE j.number = ? AND d.id = ? FOR UPDATE`,
      [job, id],
    );
    if (!row) return refuse('no-drawing', { job, id });
    if (row.edition !== save.edition)
      return refuse('stale-drawing', undefined, { details: { current: row.edition } });
    const count = save.keep + save.add.length;
    if (save.keep > row.count || save.position >= count) return refuse('no-drawing', { job, id });
    await change(db, 'DELETE FROM drawing_states WHERE drawing_id = ? AND place >= ?', [id, save.keep]);
    await append(db, id, save.keep, save.add);
    await change(
      db,
      `UPDATE drawings SET position = ?, name = COALESCE(?, name), told = COALESCE(?, told), edition = edition + 1,
              updated_at = UTC_TIMESTAMP(3) WHERE id = ?`,
      [save.position, save.name ?? null, save.told ? JSON.stringify(save.told) : null, id],
    );
    return success(row.edition + 1);
  });
}

/** Refusal: `no-drawing`. */
export async function deleteDrawing(job: number, id: number): Promise<Outcome<null>> {
  return transaction(async (db): Promise<Outcome<null>> => {
    const locked = await lockJob(db, job);
    if (!locked) return refuse('no-drawing', { job, id });
    const jobId = locked.id;
    const [found] = await rows<{ name: string }>(
      db,
      'SELECT name FROM drawings WHERE job_id = ? AND id = ?',
      [jobId, id],
    );
    if (!found) return refuse('no-drawing', { job, id });
    await change(db, 'DELETE FROM drawings WHERE id = ?', [id]);
    await record(db, jobId, `Drawing thrown away: ${found.name}.`);
    return success(null);
  });
}

const append = (db: Db, id: number, from: number, states: readonly Drawing[]): Promise<void> =>
  insertMany(
    db,
    'drawing_states',
    'drawing_id, place, document',
    states.map((state, i) => [id, from + i, JSON.stringify(state)]),
  );
