import { refuse } from '$contract/problems';
import { bytesOf, nameInSentence } from '$core/disk';
import { success, type Outcome } from '$core/problem';
import { machineOf, type SurveyDocument } from '$core/survey';
import { change, rows, type Db } from '../../store/database/database';
import { loadSurvey } from '../../store/documents/loadDocument';
import { withJobVersion } from '../version/jobVersion';
import { makeMachineKey } from './machines';

/** Chooses the partition to grow. Refusals: `no-partition`, and those of `withJobVersion`. */
export const saveTarget = (
  number: number,
  version: number,
  target: { disk: number; partition: number },
): Promise<Outcome<number>> =>
  withJobVersion(number, version, async (db, id) => {
    const sql =
      "SELECT document FROM surveys WHERE job_id = ? AND purpose = 'found' ORDER BY id DESC LIMIT 1";
    const [survey] = await rows<{ document: string }>(db, sql, [id]);
    const set = survey
      ? await setTarget(db, id, loadSurvey(survey.document), target)
      : refuse('no-partition');
    return set.ok ? `Target chosen: disk ${target.disk}, partition ${target.partition}.` : set;
  });

/** Keeps the target with the job, for lists. Refusal: `no-partition`. */
export async function setTarget(
  db: Db,
  jobId: number,
  survey: SurveyDocument,
  target: { disk: number; partition: number } | null,
): Promise<Outcome<null>> {
  const disk = machineOf(survey).disks.find((candidate) => candidate.number === target?.disk);
  const partition = disk?.partitions.find((candidate) => candidate.number === target?.partition);
  if (target && (!disk || !partition)) return refuse('no-partition');
  await change(
    db,
    `UPDATE jobs SET disk_number = ?, partition_number = ?, target_name = ?, target_size = ?, target_used = ?,
                    machine_key = ? WHERE id = ?`,
    [
      disk?.number ?? null,
      partition?.number ?? null,
      partition ? nameInSentence(partition) : null,
      disk && partition ? bytesOf(disk, partition) : null,
      partition?.volume?.used ?? null,
      makeMachineKey(survey, disk?.number ?? null),
      jobId,
    ],
  );
  return success(null);
}

/** The target of a new survey: the Windows volume, else none. */
export function proposeTarget(survey: SurveyDocument): { disk: number; partition: number } | null {
  for (const disk of machineOf(survey).disks) {
    const windows = disk.partitions.find((partition) => partition.role === 'windows');
    if (windows) return { disk: disk.number, partition: windows.number };
  }
  return null;
}
