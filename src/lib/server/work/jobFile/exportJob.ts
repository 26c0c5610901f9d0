import { database, rows } from '../../store/database/database';
import { historyOf } from '../../store/history/history';
import { runInWorker } from '../../platform/threads/runInWorker';
import { packJobTask } from './pack';
import type { JobRows } from './rows';

/** A whole job as one ZIP with JSON inside, to go to another bench. null: there is no such job. */
export async function exportJob(number: number): Promise<Uint8Array | null> {
  const found = await rowsOf(number);
  return found && (await runInWorker(packJobTask, found));
}

async function rowsOf(number: number): Promise<JobRows | null> {
  const db = database();
  const [job] = await rows<JobRows['job']>(
    db,
    `SELECT id, number, customer, machine, notes, DATE_FORMAT(due, '%Y-%m-%d') AS due, created_at, disk_number,
            partition_number FROM jobs WHERE number = ?`,
    [number],
  );
  if (!job) return null;
  const of = <K extends keyof JobRows>(sql: string): Promise<JobRows[K] & unknown[]> =>
    rows(db, sql, [job.id]) as Promise<JobRows[K] & unknown[]>;
  return {
    job,
    surveys: await of<'surveys'>(
      'SELECT id, source, purpose, created_at, document FROM surveys WHERE job_id = ? ORDER BY id',
    ),
    holdings: await of<'holdings'>(
      // Of the newest survey: that is all that is ever looked at.
      `SELECT o.survey_id, o.document, o.choices FROM holdings o
        WHERE o.survey_id = (SELECT MAX(id) FROM surveys WHERE job_id = ? AND purpose = 'found')`,
    ),
    goals: await of<'goals'>(
      `SELECT g.*, r.document AS answer, r.chosen FROM goals g JOIN routes r ON r.goal_id = g.id
        WHERE g.job_id = ? ORDER BY g.id`,
    ),
    drawings: await of<'drawings'>(
      'SELECT id, survey_id, name, position, told FROM drawings WHERE job_id = ? ORDER BY id',
    ),
    states: await of<'states'>(
      `SELECT s.drawing_id, s.document FROM drawing_states s JOIN drawings d ON d.id = s.drawing_id
        WHERE d.job_id = ? ORDER BY s.drawing_id, s.place`,
    ),
    sheets: await of<'sheets'>(
      'SELECT id, survey_id, origin, document, made_of, created_at FROM sheets WHERE job_id = ? ORDER BY id',
    ),
    ticks: await of<'ticks'>(
      `SELECT t.sheet_id, t.id, t.item, t.outcome, t.who, t.at, t.note, t.seconds, t.answers
         FROM ticks t JOIN sheets h ON h.id = t.sheet_id WHERE h.job_id = ? ORDER BY t.at, t.id`,
    ),
    proofs: await of<'proofs'>(
      `SELECT p.sheet_id, p.kind, p.survey_id, p.created_at, p.document FROM proofs p JOIN sheets h ON h.id = p.sheet_id
        WHERE h.job_id = ? ORDER BY p.id`,
    ),
    rehearsals: await of<'rehearsals'>(
      `SELECT goal_id, chosen, proof, who, created_at, changed_at FROM rehearsals
        WHERE job_id = ? AND proof IS NOT NULL AND place = 'stand-in' ORDER BY id DESC LIMIT 200`,
    ),
    history: (await historyOf(number)).entries,
  };
}
