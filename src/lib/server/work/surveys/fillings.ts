import { insertMany, rows, type SqlValue, type Db } from '../../store/database/database';
import type { SurveyDisk, SurveyDocument } from '$core/survey';

/** A volume as one survey found it. */
export interface Filling {
  /** Number of its partition in the newest survey. */
  partition: number;
  takenAt: string;
  /** Bytes. */
  size: number;
  used: number;
}

/** The most surveys of one machine that are looked at. */
const MOST = 400;

const partitionKey = (disk: SurveyDisk, { id, first }: SurveyDisk['partitions'][number]): string =>
  id ? id.toUpperCase() : `@${first * disk.sectorSize}`;

/**
 * Keeps how full every volume of a survey is, under what its disk is known by. The migration that made the table says
 * the same in SQL.
 */
export async function insertFillings(db: Db, surveyId: number, survey: SurveyDocument): Promise<void> {
  const found = survey.disks.flatMap((disk) =>
    disk.id
      ? disk.partitions.flatMap((one): SqlValue[][] =>
          one.volume?.used == null
            ? []
            : [
                [
                  surveyId,
                  disk.number,
                  one.number,
                  disk.id!.toUpperCase(),
                  disk.serial ?? '',
                  partitionKey(disk, one),
                  new Date(survey.takenAt),
                  one.volume.size,
                  one.volume.used,
                ],
              ],
        )
      : [],
  );
  await insertMany(
    db,
    'fillings',
    'survey_id, disk_number, partition_number, disk_id, serial, partition_key, taken_at, size_bytes, used_bytes',
    found,
  );
}

/**
 * How full the volumes of a disk were at a survey and at every one before it that this workshop has, in whatever job,
 * oldest first. A disk is known by its GUID and its serial number, where both surveys tell one; a volume by its
 * partition's GUID.
 */
export async function fillingsOf(db: Db, survey: SurveyDocument, number: number): Promise<Filling[]> {
  const disk = survey.disks.find((one) => one.number === number);
  if (!disk?.id) return [];
  const numbers = new Map(disk.partitions.map((one) => [partitionKey(disk, one), one.number]));
  const found = await rows<{ key: string; takenAt: string; size: number; used: number }>(
    db,
    `SELECT f.partition_key AS \`key\`, f.taken_at AS takenAt, f.size_bytes AS size, f.used_bytes AS used
       FROM fillings f WHERE f.disk_id = ? AND (f.serial = ? OR f.serial = '' OR ? = '') AND f.taken_at <= ?
      ORDER BY f.taken_at DESC, f.survey_id DESC LIMIT ${MOST * 16}`,
    [disk.id.toUpperCase(), disk.serial ?? '', disk.serial ?? '', new Date(survey.takenAt)],
  );
  return found.reverse().flatMap(({ key, ...filling }) => {
    const partition = numbers.get(key);
    return partition === undefined ? [] : [{ partition, ...filling }];
  });
}
