import type { SurveyPurpose, SurveySource } from '$contract/surveys';
import type { SurveyDocument } from '$core/survey';
import { change, type Db } from '../../store/database/database';
import { insertFillings } from './fillings';

/** Keeps a survey document of a job, whole; `image`: the file on the server that it was read from. @returns its id */
export async function insertSurvey(
  db: Db,
  jobId: number,
  survey: SurveyDocument,
  source: SurveySource,
  purpose: SurveyPurpose,
  { createdAt = new Date(), image = null }: { createdAt?: Date; image?: string | null } = {},
): Promise<number> {
  const partitions = survey.disks.reduce((sum, disk) => sum + disk.partitions.length, 0);
  const { insertId } = await change(
    db,
    `INSERT INTO surveys (job_id, source, purpose, taken_at, machine_name, disk_count, partition_count, document,
                          created_at, image) VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?)`,
    [
      jobId,
      source,
      purpose,
      new Date(survey.takenAt),
      survey.machine.name,
      survey.disks.length,
      partitions,
      JSON.stringify(survey),
      createdAt,
      image,
    ],
  );
  await insertFillings(db, insertId, survey);
  return insertId;
}
