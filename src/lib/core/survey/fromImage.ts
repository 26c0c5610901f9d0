import { ReadBeyondEnd, slice, type ByteSource } from '../images/source';
import { failure, success, type Outcome } from '../problem';
import { readGpt, type GptEntry, type GptTable } from '../tables';
import { deriveRoles, TYPE } from '../disk';
import { recogniseVolume } from '../volumes';
import { checkSurvey } from './check';
import type { SurveyDocument, SurveyPartition } from './types';

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

/**
 * Makes a survey of a raw disk image. Only the sectors that tell something are read: both tables, the boot
 * sectors, and of NTFS a few records and the cluster bitmap.
 *
 * Problem codes: those of {@link readGpt}, `truncated`, and those of {@link checkSurvey}.
 */
export async function surveyFromImage(
  source: ByteSource,
  options: ImageOptions,
): Promise<Outcome<SurveyDocument>> {
  try {
    const reading = await readGpt(source);
    if (!reading.ok) return reading;
    const { table, notes } = reading.value;
    const { partitions, gaps } = await readPartitions(source, table, options.progress ?? (() => {}));
    const survey: SurveyDocument = {
      format: 'gentle-tide/survey',
      version: 1,
      takenAt: options.takenAt,
      machine: { name: options.machineName, firmware: 'uefi' },
      disks: [
        {
          number: 0,
          model: 'disk image',
          serial: '',
          media: 'virtual',
          sectorSize: table.sectorSize,
          sectors: table.sectors,
          table: 'gpt',
          id: table.diskId,
          backupHeader: table.backupHeader,
          firstUsable: table.firstUsable,
          lastUsable: table.lastUsable,
          partitions,
        },
      ],
      notes: [
        ...notes,
        ...gaps,
        ...guessNote(partitions),
        'An image does not tell drive letters, battery, hibernation or recovery environment.',
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

async function readPartitions(
  source: ByteSource,
  table: GptTable,
  progress: (progress: ImageProgress) => void,
): Promise<{ partitions: SurveyPartition[]; gaps: string[] }> {
  const partitions: SurveyPartition[] = [];
  const gaps: string[] = [];
  const entries = [...table.entries].sort((a, b) => a.first - b.first);
  const total = entries.length;
  for (const [i, entry] of entries.entries()) {
    const number = entry.slot + 1;
    const at = (share: number) =>
      progress({ share: (i + share) / total, what: `partition ${number} of ${total}` });
    at(0);
    const partition = bare(entry, number);
    if (entry.type !== TYPE.reserved) {
      const bytes = slice(source, entry.first * table.sectorSize, partition.sectors * table.sectorSize);
      const { volume, gap } = await recogniseVolume(bytes, table.sectorSize, at);
      partition.volume = volume;
      if (gap) gaps.push(`Partition ${number}: ${gap}.`);
    }
    partitions.push(partition);
  }
  progress({ share: 1, what: 'done' });
  return { partitions, gaps };
}

const bare = (entry: GptEntry, number: number): SurveyPartition => ({
  number,
  first: entry.first,
  sectors: entry.last - entry.first + 1,
  type: entry.type,
  id: entry.id,
  attributes: `0x${entry.attributes.toString(16).padStart(16, '0')}`,
  name: entry.name,
  kind: 'primary',
  active: false,
  letter: null,
});

function guessNote(partitions: readonly SurveyPartition[]): string[] {
  const known = partitions.map((partition) => ({
    type: partition.type,
    letter: null,
    active: false,
    kind: 'primary' as const,
    volume: partition.volume?.fileSystem === 'ntfs' ? { fileSystem: 'ntfs' as const } : null,
  }));
  const index = deriveRoles(known, false).indexOf('windows');
  return index < 0
    ? []
    : [
        `Partition ${partitions[index]!.number} is taken for the Windows volume: the first with NTFS. Choose another target if it is not.`,
      ];
}
