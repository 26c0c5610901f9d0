import { TYPE, type PartitionRole } from '../disk';
import { openImage, type DiskImage, type ImageKind } from '../images/open';
import { ImageDamage, ReadBeyondEnd, slice, type ByteSource } from '../images/source';
import { failure, success, type Outcome } from '../problem';
import { readTable, type TableReading } from '../tables';
import { recogniseVolume } from '../volumes';
import { checkSurvey, checkVolume } from './check';
import type { SurveyDisk, SurveyDocument, SurveyPartition } from './document';
import { machineOf } from './machine';
import { boundNotes } from './notes';
import { noteWindows } from './whichWindows';
import { escapeHalves } from '../wellFormed';

export interface ImageProgress {
  /** 0..1 over the whole reading. */
  share: number;
  /** Name of what is being read, for people. */
  what: string;
}

export interface ImageOptions {
  /** The job's machine; an image does not know it. */
  machineName: string;
  /** RFC 3339. */
  takenAt: string;
  progress?: (progress: ImageProgress) => void;
  /** Other files that were given together with the image, by their names: some formats are in several. */
  beside?: (name: string) => ByteSource | null;
}

const KIND_NAME: Record<ImageKind, string> = {
  raw: 'raw disk image',
  vhd: 'disk image (VHD)',
  vhdx: 'disk image (VHDX)',
  qcow2: 'disk image (qcow2)',
  vmdk: 'disk image (VMDK)',
};

/**
 * Makes a survey of a disk image: raw, VHD, VHDX, qcow2 or VMDK, with a GPT or an MBR. Only the sectors that tell
 * something are read: the tables, the boot sectors, and of each volume what it says of its own use.
 *
 * Problem codes: those of {@link openImage} and {@link readTable}, `truncated`, and those of {@link checkSurvey}.
 */
export async function surveyFromImage(
  file: ByteSource,
  options: ImageOptions,
): Promise<Outcome<SurveyDocument>> {
  try {
    const image = await openImage(file, options.beside);
    return image.ok ? await surveyOf(image.value, options) : image;
  } catch (error) {
    if (error instanceof ImageDamage || error instanceof ReadBeyondEnd) {
      return failure({
        code: 'truncated',
        path: '',
        message: `The image is damaged or cut short: ${error.message}. Take it again, whole.`,
      });
    }
    throw error;
  }
}

async function surveyOf(image: DiskImage, options: ImageOptions): Promise<Outcome<SurveyDocument>> {
  const { source, kind } = image;
  const table = await readTable(source, image.sectorSize);
  if (!table.ok) return table;
  const disk = diskOf(table.value);
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
  };
  const problems = checkSurvey(survey);
  if (problems.length > 0) return failure(...problems);
  const notes = [
    'An image does not tell drive letters, battery, the hibernation setting or the recovery environment.',
    ...table.value.notes,
    ...noteWindows(machineOf(survey), 'no volume holds a folder \\Windows'),
    ...read.notes,
  ];
  return success({ ...survey, notes: boundNotes(notes) });
}

type BareDisk = Omit<SurveyDisk, 'model' | 'serial' | 'media'>;

function diskOf(reading: TableReading): BareDisk {
  if (reading.kind === 'gpt') {
    const {
      sectorSize,
      sectors,
      diskId,
      backupHeader,
      firstUsable,
      lastUsable,
      entryCount,
      entrySize,
      entries,
    } = reading.table;
    return {
      number: 0,
      sectorSize,
      sectors,
      table: 'gpt',
      id: diskId,
      backupHeader,
      firstUsable,
      lastUsable,
      entries: entryCount,
      entrySize,
      ...(reading.unprotected ? { protectiveRecord: 'missing' as const } : {}),
      partitions: entries.map((entry) => ({
        number: entry.slot + 1,
        first: entry.first,
        sectors: entry.last - entry.first + 1,
        type: entry.type,
        id: entry.id,
        attributes: `0x${entry.attributes.toString(16).padStart(16, '0')}`,
        name: escapeHalves(entry.name),
      })),
    };
  }
  const { sectorSize, sectors, diskId, partitions } = reading.table;
  return {
    number: 0,
    sectorSize,
    sectors,
    table: 'mbr',
    id: diskId,
    ...(reading.hybrid ? { protectiveRecord: 'hybrid' as const } : {}),
    partitions: partitions.map(({ type, ...partition }) => ({
      ...partition,
      type: `0x${type.toString(16).toUpperCase().padStart(2, '0')}`,
    })),
  };
}

/** Fills in the volumes, and the roles that only their contents tell. */
async function readVolumes(
  source: ByteSource,
  disk: BareDisk,
  progress: (progress: ImageProgress) => void,
): Promise<{ notes: string[]; hibernated: boolean }> {
  const notes: string[] = [];
  let hibernated = false;
  disk.partitions.sort((a, b) => a.first - b.first);
  const readable = disk.partitions.filter(({ type, kind }) => type !== TYPE.reserved && kind !== 'extended');
  /** Volumes that were looked through and hold no \Windows. */
  const without: SurveyPartition[] = [];
  for (const [i, partition] of readable.entries()) {
    const at = (share: number) =>
      progress({ share: (i + share) / readable.length, what: `volume ${i + 1} of ${readable.length}` });
    at(0);
    const bytes = slice(source, partition.first * disk.sectorSize, partition.sectors * disk.sectorSize);
    const found = await recogniseVolume(bytes, disk.sectorSize, at);
    partition.volume = found.volume;
    const gaps = [...found.gaps];
    const [problem] = checkVolume({ ...disk, media: 'virtual' }, partition, found.volume, '');
    if (problem) {
      partition.volume = { fileSystem: 'unknown', size: bytes.size, used: null };
      gaps.push(
        `what it says of itself does not fit together, so it is taken for unknown: ${problem.message.replace(/[.]$/, '')}`,
      );
    }
    notes.push(...gaps.map((gap) => `Partition ${partition.number}: ${gap}.`));
    if (found.hibernated) {
      hibernated = true;
      notes.push(`Partition ${partition.number}: a hibernated system sleeps in it.`);
    }
    // A recovery or boot partition can hold such a folder too; its type says what it is.
    if (!isBasic(partition)) continue;
    if (found.holdsWindows) partition.role = 'windows' satisfies PartitionRole;
    else if (
      found.holdsWindows === false &&
      partition.volume.fileSystem === 'ntfs' &&
      partition.volume.used != null
    )
      without.push(partition);
  }
  progress({ share: 1, what: 'done' });
  // A volume that could not be looked into is Windows rather than one that was seen to be without.
  const closed = readable.some(
    (one) => isBasic(one) && one.role === undefined && !without.includes(one) && mayHold(one),
  );
  if (closed) for (const partition of without) partition.role = 'data' satisfies PartitionRole;
  return { notes, hibernated };
}

const isBasic = ({ type }: SurveyPartition): boolean => type === TYPE.basicData || type === '0x07';

/** Whether Windows may be in a volume that was not looked through. */
const mayHold = ({ volume }: SurveyPartition): boolean =>
  volume?.fileSystem === 'encrypted' || volume?.fileSystem === 'ntfs';
