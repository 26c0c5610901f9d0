import type { SurveyDocument } from '$core/survey';
import { database, rows } from '../../store/database/database';

/**
 * What a machine is known by: GUID and serial number of the disk that holds the target, else of the first one that
 * tells both. null: they are not known. The migration that made the column says the same in SQL.
 */
export function makeMachineKey(survey: SurveyDocument, disk: number | null): string | null {
  // As the table of fillings has it: only disks with a volume whose use is known tell anything there.
  const known = survey.disks.filter(
    ({ id, serial, partitions }) => id && serial && partitions.some(({ volume }) => volume?.used != null),
  );
  known.sort((a, b) => a.number - b.number);
  const one = known.find(({ number }) => number === disk) ?? known[0];
  return one ? `${one.id!.toUpperCase()} ${one.serial}` : null;
}

/** An earlier job on the same machine. */
export interface EarlierJob {
  number: number;
  customer: string;
  machine: string;
  /** When its first survey was taken. */
  takenAt: string;
}

/** Jobs that were about the machine of this one before, the newest first. */
export const findEarlierJobs = (number: number): Promise<EarlierJob[]> =>
  rows<EarlierJob>(
    database(),
    `SELECT b.number, b.customer, b.machine, MIN(s.taken_at) AS takenAt
       FROM jobs j JOIN jobs b ON b.machine_key = j.machine_key AND b.id < j.id JOIN surveys s ON s.job_id = b.id
      WHERE j.number = ? GROUP BY b.id ORDER BY b.id DESC LIMIT 20`,
    [number],
  );
