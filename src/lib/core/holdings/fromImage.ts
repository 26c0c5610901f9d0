import { FILE_SYSTEM_NAME } from '../disk';
import { openImage } from '../images/open';
import { ImageDamage, ReadBeyondEnd, slice, type ByteSource } from '../images/source';
import { success, type Outcome } from '../problem';
import { boundNotes } from '../survey/notes';
import {
  surveyFromImage,
  type ImageOptions,
  type SurveyDocument,
  type SurveyPartition,
  type SurveyVolume,
} from '../survey';
import { findExfatBackup, findFatBackup, findNtfsBackup } from '../volumes/backupSector';
import { findSoundExfatBoot } from '../volumes/exfat';
import { NtfsDamage } from '../volumes/ntfs/volume';
import {
  HOLDINGS_FORMAT,
  MAX_FILES,
  MAX_FOLDERS,
  type Holdings,
  type ReadHoldings,
  type VolumeHoldings,
} from './document';
import { walkExfat } from './exfatWalk';
import { walkFat } from './fatWalk';
import { gathered, type GatherOptions } from './gathered';
import { walkNtfs } from './ntfsWalk';

/** Share of the reading that the survey is, the rest are the holdings. */
const SURVEY_SHARE = 0.4;
const MAX_VOLUMES = 16;
/** Folders and files that are named of all volumes together: with the survey they are sent in one body. */
const MAX_NAMED = { folders: 12_000, files: 4000 };

/** A disk image's survey, and what fills its volumes where that could be read. */
export interface ImageRead {
  survey: SurveyDocument;
  holdings: Holdings | null;
}

/**
 * A survey of a disk image (see {@link surveyFromImage}, whose problem codes these are) with what fills its Windows and
 * data volumes. A volume of which that can't be told is none of the survey's faults: a note says why.
 */
export async function readImage(file: ByteSource, options: ImageOptions): Promise<Outcome<ImageRead>> {
  const { progress = () => {} } = options;
  const survey = await surveyFromImage(file, {
    ...options,
    progress: ({ share, what }) => progress({ share: share * SURVEY_SHARE, what }),
  });
  if (!survey.ok) return survey;
  const { volumes, notes } = await volumesOf(file, survey.value, {
    ...options,
    progress: ({ share, what }) => progress({ share: SURVEY_SHARE + share * (1 - SURVEY_SHARE), what }),
  });
  const told = boundNotes([...(survey.value.notes ?? []), ...notes]);
  const { takenAt, machineName: machine } = options;
  return success({
    survey: { ...survey.value, notes: told },
    holdings:
      volumes.length === 0 ? null : { format: HOLDINGS_FORMAT, version: 1, takenAt, machine, volumes },
  });
}

async function volumesOf(
  file: ByteSource,
  survey: SurveyDocument,
  { beside, progress = () => {} }: ImageOptions,
): Promise<{ volumes: VolumeHoldings[]; notes: string[] }> {
  const image = await openImage(file, beside);
  if (!image.ok) return { volumes: [], notes: [] };
  const disk = survey.disks[0]!;
  const asked = disk.partitions.filter(isAsked).slice(0, MAX_VOLUMES);
  const most = {
    folders: Math.min(MAX_FOLDERS, Math.floor(MAX_NAMED.folders / asked.length)),
    files: Math.min(MAX_FILES, Math.floor(MAX_NAMED.files / asked.length)),
  };
  const volumes: VolumeHoldings[] = [];
  const notes: string[] = [];
  for (const [i, partition] of asked.entries()) {
    const volume = partition.volume!;
    const what = `what fills volume ${i + 1} of ${asked.length}`;
    const at = (share: number) => progress({ share: (i + share) / asked.length, what });
    at(0);
    const bytes = partition.sectors * disk.sectorSize;
    try {
      const source = slice(image.value.source, partition.first * disk.sectorSize, bytes);
      const told = await holdingsOf(source, volume, disk.sectorSize, { progress: at, most });
      const { fileSystem, size } = volume;
      const place = { disk: disk.number, partition: partition.number };
      volumes.push({ ...place, fileSystem, size, used: volume.used!, ...told });
    } catch (error) {
      if (!(error instanceof NtfsDamage || error instanceof ReadBeyondEnd || error instanceof ImageDamage))
        throw error;
      const reason = error instanceof NtfsDamage ? error.message : 'its structures point outside of it';
      notes.push(`Partition ${partition.number}: what fills it could not be told: ${reason}.`);
    }
  }
  return { volumes, notes };
}

/** Volumes with files of people or of Windows: what fills a recovery partition is nobody's to free. */
const isAsked = ({ type, volume, role }: SurveyPartition): boolean =>
  volume?.used != null &&
  volume.used > 0 &&
  ['ntfs', 'fat32', 'fat16', 'exfat'].includes(volume.fileSystem) &&
  (role === 'windows' || role === 'data' || (role == null && PLAIN_TYPES.has(type)));

/** Types of partitions that hold ordinary volumes: basic data, NTFS or exFAT, FAT. */
const PLAIN_TYPES = new Set(['EBD0A0A2-B9E5-4433-87C0-68B6B72699C7', '0x07', '0x06', '0x0B', '0x0C', '0x0E']);

/** Holdings of one volume by its own tables. @throws NtfsDamage, ReadBeyondEnd */
export async function holdingsOf(
  source: ByteSource,
  volume: SurveyVolume,
  sectorSize: number,
  {
    progress = () => {},
    most = { folders: MAX_FOLDERS, files: MAX_FILES },
  }: { progress?: (share: number) => void; most?: GatherOptions['most'] } = {},
): Promise<ReadHoldings> {
  const first = await source.read(0, 512);
  const byBackup = volume.bootSector === 'backup';
  if (volume.fileSystem === 'ntfs') {
    const backup = byBackup ? await findNtfsBackup(source, sectorSize, first) : null;
    return walkNtfs(source, backup?.sector ?? first, progress, most);
  }
  const steadily = (folders: number) => progress(folders / (folders + 1000));
  const found =
    volume.fileSystem === 'exfat'
      ? await walkExfat(
          source,
          ((byBackup ? await findExfatBackup(source) : await findSoundExfatBoot(source)) ?? { sector: first })
            .sector,
          steadily,
        )
      : await walkFat(source, (byBackup ? await findFatBackup(source) : null)?.sector ?? first, steadily);
  if (!found) throw new NtfsDamage(`its ${FILE_SYSTEM_NAME[volume.fileSystem]} can’t be followed`);
  const { own, walked, unread } = found;
  return { measure: 'length', own, unread, ...(await gathered(walked, { most })) };
}
