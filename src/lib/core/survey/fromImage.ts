import { TYPE, type Role } from '../disk';
import { openImage, type DiskImage } from '../images/open';
import { ReadBeyondEnd, slice, type ByteSource } from '../images/source';
import { failure, success, type Outcome } from '../problem';
import { readGpt, readMbr } from '../tables';
import { recogniseVolume } from '../volumes';
import { checkSurvey } from './check';
import type { SurveyDisk, SurveyDocument, SurveyPartition } from './document';
import { escapedHalves } from '../wellFormed';

export interface ImageProgress {
  /** 0..1 over the whole reading. */
  share: number;
  /** What is being read, for people. */
  what: string;
}

export interface ImageOptions {
  /** The job's machine; an image does not know it. */
  machineName: string;
  /** RFC 3339. */
  takenAt: string;
  progress?: (progress: ImageProgress) => void;
}

const KIND_NAME: Record<DiskImage['kind'], string> = {
  raw: 'raw disk image',
  vhd: 'disk image (VHD)',
  vhdx: 'disk image (VHDX)',
};

/**
 * Makes a survey of a disk image: raw, VHD or VHDX, with a GPT or an MBR. Only the sectors that tell something
 * are read: the tables, the boot sectors, and of each volume what it says of its own use.
 *
 * Problem codes: those of {@link openImage}, {@link readGpt} and {@link readMbr}, `truncated`, and those of
 * {@link checkSurvey}.
 */
export async function surveyFromImage(
  file: ByteSource,
  options: ImageOptions,
): Promise<Outcome<SurveyDocument>> {
  try {
    const image = await openImage(file);
    if (!image.ok) return image;
    const { source, kind } = image.value;
    const table = await readTable(source);
    if (!table.ok) return table;
    const { disk, notes } = table.value;
    const read = await readVolumes(source, disk, options.progress ?? (() => {}));
    const survey: SurveyDocument = {
      format: 'gentle-tide/survey',
      version: 1,
      takenAt: options.takenAt,
      machine: {
        name: options.machineName,
        firmware: disk.table === 'gpt' ? 'uefi' : 'bios',
        ...(read.hibernated ? { hibernated: true } : {}),
      },
      disks: [{ ...disk, model: KIND_NAME[kind], serial: '', media: 'virtual' }],
      notes: [
        ...notes,
        ...read.notes,
        'An image does not tell drive letters, battery, the hibernation setting or the recovery environment.',
      ],
    };
    const problems = checkSurvey(survey);
    return problems.length > 0 ? failure(...problems) : success(survey);
  } catch (error) {
    if (!(error instanceof ReadBeyondEnd)) throw error;
    return failure({
      code: 'truncated',
      path: '',
      message: `The image is cut short: ${error.message}. Take it again, whole.`,
    });
  }
}

type BareDisk = Omit<SurveyDisk, 'model' | 'serial' | 'media'>;

async function readTable(source: ByteSource): Promise<Outcome<{ disk: BareDisk; notes: string[] }>> {
  const gpt = await readGpt(source);
  if (gpt.ok) {
    const { table, notes } = gpt.value;
    const partitions = table.entries.map((entry) => ({
      number: entry.slot + 1,
      first: entry.first,
      sectors: entry.last - entry.first + 1,
      type: entry.type,
      id: entry.id,
      attributes: `0x${entry.attributes.toString(16).padStart(16, '0')}`,
      name: escapedHalves(entry.name),
    }));
    const { sectorSize, sectors, diskId, backupHeader, firstUsable, lastUsable } = table;
    const areas = { backupHeader, firstUsable, lastUsable };
    return success({
      disk: { number: 0, sectorSize, sectors, table: 'gpt', id: diskId, ...areas, partitions },
      notes,
    });
  }
  if (gpt.problems[0]?.code !== 'no-gpt') return gpt;
  const mbr = await readMbr(source);
  if (!mbr.ok) return mbr;
  const { sectorSize, sectors, diskId, partitions } = mbr.value;
  const described = partitions.map(({ type, ...partition }) => ({
    ...partition,
    type: `0x${type.toString(16).toUpperCase().padStart(2, '0')}`,
  }));
  return success({
    disk: { number: 0, sectorSize, sectors, table: 'mbr', id: diskId, partitions: described },
    notes: [],
  });
}

/** Fills in the volumes, and the roles that only their contents tell. */
async function readVolumes(
  source: ByteSource,
  disk: BareDisk,
  progress: (progress: ImageProgress) => void,
): Promise<{ notes: string[]; hibernated: boolean }> {
  const notes: string[] = [];
  let hibernated = false;
  let windows = false;
  disk.partitions.sort((a, b) => a.first - b.first);
  const readable = disk.partitions.filter(({ type, kind }) => type !== TYPE.reserved && kind !== 'extended');
  for (const [i, partition] of readable.entries()) {
    const at = (share: number) =>
      progress({ share: (i + share) / readable.length, what: `volume ${i + 1} of ${readable.length}` });
    at(0);
    const bytes = slice(source, partition.first * disk.sectorSize, partition.sectors * disk.sectorSize);
    const found = await recogniseVolume(bytes, disk.sectorSize, at);
    partition.volume = found.volume;
    if (found.gap) notes.push(`Partition ${partition.number}: ${found.gap}.`);
    if (found.hibernated) {
      hibernated = true;
      notes.push(`Partition ${partition.number}: a hibernated system sleeps in it.`);
    }
    // A recovery or boot partition can hold such a folder too; its type says what it is.
    if (found.holdsWindows && isBasic(partition)) {
      partition.role = 'windows' satisfies Role;
      windows = true;
    }
  }
  progress({ share: 1, what: 'done' });
  const guess = windows ? undefined : readable.find((p) => isBasic(p) && p.volume?.fileSystem === 'ntfs');
  if (guess) {
    notes.push(
      `Partition ${guess.number} is taken for the Windows volume: no volume holds a folder \\Windows, and it is the first with NTFS. Choose another target if it is not.`,
    );
  }
  return { notes, hibernated };
}

const isBasic = ({ type }: SurveyPartition): boolean => type === TYPE.basicData || type === '0x07';
