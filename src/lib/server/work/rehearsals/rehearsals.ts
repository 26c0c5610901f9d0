import type { RunPlace } from '$contract/rehearsalStates';
import type { Rehearsal } from '$contract/rehearsals';
import type { RehearsalProgress } from '$contract/rehearsals';
import { ExecutionProofShape, describeRehearsal, type ExecutionProof } from '$core/executor';
import { RouteShape } from '$core/planning';
import { database, rows } from '../../store/database/database';
import { copyName } from '../../platform/imageNames';
import { loadDocument } from '../../store/documents/loadDocument';
import { AT_FIRST } from './states';

interface Row extends Omit<Rehearsal, 'route' | 'progress' | 'current' | 'elsewhere' | 'file'> {
  elsewhere: number;
  route: string;
  progress: string;
  current: number;
}

const COLUMNS = `r.id, r.place, r.image, r.state, r.pace, r.wish, r.route, r.progress, r.room, r.elsewhere, r.problem, r.verdict, r.who,
  r.created_at AS createdAt, r.changed_at AS changedAt,
  r.survey_id = (SELECT MAX(id) FROM surveys WHERE job_id = r.job_id AND purpose = 'found')
    AND r.goal_id = (SELECT MAX(id) FROM goals WHERE job_id = r.job_id)
    AND r.chosen = (SELECT chosen FROM routes WHERE goal_id = r.goal_id ORDER BY id DESC LIMIT 1) AS current`;

const rehearsalOf = ({ route, progress, current, elsewhere, room, ...row }: Row): Rehearsal => ({
  ...row,
  file: row.place === 'copy' && row.image !== null ? copyName(row.image, row.id) : row.image,
  room: Number(room),
  current: current === 1,
  elsewhere: elsewhere === 1,
  route: loadDocument(route, RouteShape, 'The rehearsed route'),
  progress: { ...AT_FIRST, ...(JSON.parse(progress) as Partial<RehearsalProgress>) },
});

/** The job's rehearsals, newest first. */
export async function listRehearsals(number: number, most = 12): Promise<Rehearsal[]> {
  const found = await rows<Row>(
    database(),
    `SELECT ${COLUMNS} FROM rehearsals r JOIN jobs j ON j.id = r.job_id WHERE j.number = ? ORDER BY r.id DESC LIMIT ${most}`,
    [number],
  );
  return found.map(rehearsalOf);
}

export async function findRehearsal(number: number, id: number): Promise<Rehearsal | null> {
  const [row] = await rows<Row>(
    database(),
    `SELECT ${COLUMNS} FROM rehearsals r JOIN jobs j ON j.id = r.job_id WHERE j.number = ? AND r.id = ?`,
    [number, id],
  );
  return row ? rehearsalOf(row) : null;
}

/** Something that is another text once anything of a rehearsal has changed; '' where there is none. */
export async function markOf(id: number): Promise<string> {
  const [row] = await rows<{ changed: string; state: string }>(
    database(),
    'SELECT changed_at AS changed, state FROM rehearsals WHERE id = ?',
    [id],
  );
  return row ? `${row.changed} ${row.state}` : '';
}

/** Outcome of a route's newest ended rehearsal, as a line for its work sheet; null: there is none. */
export async function readRehearsalLine(goal: number, chosen: number): Promise<string | null> {
  const [row] = await rows<{
    verdict: ExecutionProof['verdict'];
    at: string;
    cuts: string | null;
    elsewhere: number;
    place: RunPlace;
    image: string | null;
  }>(
    database(),
    `SELECT verdict, changed_at AS at, JSON_VALUE(progress, '$.cuts') AS cuts, elsewhere, place, image FROM rehearsals
      WHERE goal_id = ? AND chosen = ? AND state = 'ended' ORDER BY id DESC LIMIT 1`,
    [goal, chosen],
  );
  return describeRehearsal(
    row ? { ...row, cuts: Number(row.cuts ?? 0), elsewhere: row.elsewhere === 1 } : null,
  );
}

/** The proof that a rehearsal ended with, or null. */
export async function proofOf(number: number, id: number): Promise<ExecutionProof | null> {
  const [row] = await rows<{ proof: string | null }>(
    database(),
    'SELECT r.proof FROM rehearsals r JOIN jobs j ON j.id = r.job_id WHERE j.number = ? AND r.id = ?',
    [number, id],
  );
  return row?.proof ? loadDocument(row.proof, ExecutionProofShape, 'The proof of the rehearsal') : null;
}
