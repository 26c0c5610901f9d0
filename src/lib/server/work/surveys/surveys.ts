import type { SurveyLine } from '$contract/surveys';
import type { SurveyDocument } from '$core/survey';
import { database, rows } from '../../store/database/database';
import { loadSurvey } from '../../store/documents/loadDocument';

/** All surveys of a job, newest first. */
export const listSurveys = (job: number): Promise<SurveyLine[]> =>
  rows<SurveyLine>(
    database(),
    `SELECT s.id, s.source, s.taken_at AS takenAt, s.created_at AS savedAt, s.disk_count AS disks,
            s.partition_count AS partitions, s.purpose
       FROM surveys s JOIN jobs j ON j.id = s.job_id
      WHERE j.number = ? ORDER BY s.id DESC`,
    [job],
  );

/** One survey of a job, or null where the job has none of that id. */
export async function findSurvey(job: number, id: number): Promise<SurveyDocument | null> {
  const [found] = await rows<{ document: string }>(
    database(),
    'SELECT s.document FROM surveys s JOIN jobs j ON j.id = s.job_id WHERE j.number = ? AND s.id = ?',
    [job, id],
  );
  return found ? loadSurvey(found.document) : null;
}
