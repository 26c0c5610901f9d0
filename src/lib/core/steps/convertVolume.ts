import { Type, type Static } from 'typebox';
import { FILE_SYSTEM_NAME, nameInSentence, type Disk, type Partition } from '../disk';
import { success } from '../problem';
import { canConvert, getConversionRoom, converted, windowsAlone } from '../tools';
import { formatSize } from '../units';
import { closed, PartitionNumber } from '../shapes';
import { priced, refused, subjectOf, type Able } from './abilities';
import { impossible, partitionAt, type Layout } from './layout';
import { findPartition, stepPartition, SURVEY_AGAIN } from './names';
import { scriptDone, scriptExpectation, guard, stop } from './powershell/guard';
import { nameInScript } from './powershell/names';
import { quoteLiteral } from './powershell/quote';
import { INSIDE } from './step';
import type { StepContext, VerbModule } from './verb';

const ConvertVolumeStep = closed({ ...INSIDE, verb: Type.Literal('convert-volume') });
export type ConvertVolumeStep = Static<typeof ConvertVolumeStep>;
const ConvertVolumeIntent = closed({ verb: Type.Literal('convert-volume'), partition: PartitionNumber });
export type ConvertVolumeIntent = Static<typeof ConvertVolumeIntent>;

/** The type that an MBR has for NTFS. */
const MBR_NTFS = '0x07';

function converters({ terms, kit }: StepContext, partition: Partition): Able {
  const name = nameInSentence(partition);
  if (!terms.mayConvert)
    return refused(`Converting ${name} is not allowed for this goal: there is no way back.`);
  if (!canConvert(partition)) return refused(`${name} is no FAT volume that Windows converts.`);
  const [needs, free] = [getConversionRoom(terms.disk, partition), freeIn(partition)];
  return needs > free
    ? refused(`Converting ${name} needs ${formatSize(needs)} free in it, and there are ${formatSize(free)}.`)
    : success(windowsAlone(kit));
}

const freeIn = ({ volume }: Partition): number => volume!.size - volume!.used!;

/** A partition once its volume is converted. */
const convertedPartition = (disk: Disk, partition: Partition): Partition => ({
  ...partition,
  type: disk.table === 'mbr' ? MBR_NTFS : partition.type,
  volume: converted(disk, partition, partition.volume!),
});

export const convertVolume: VerbModule<'convert-volume'> = {
  step: ConvertVolumeStep,
  intents: { 'convert-volume': ConvertVolumeIntent },
  name: 'Convert volume',
  resolve(ground, intent) {
    const subject = subjectOf(ground, intent.partition);
    if (!subject.ok) return subject;
    const { partition, who } = subject.value;
    return priced(
      {
        ...who,
        verb: 'convert-volume',
        from: null,
        to: null,
        // The files stay where they are; what is written are NTFS's own tables.
        bytesCopied: partition.volume ? getConversionRoom(ground.terms.disk, partition) : 0,
        exposedBytes: 0,
      },
      converters(ground, partition),
    );
  },
  apply(disk, layout, { partition: number }) {
    const found = partitionAt(layout, number);
    if (!found.ok) return found;
    if (!canConvert(found.value)) return impossible(`partition ${number} is no FAT volume that is converted`);
    const now = convertedPartition(disk, found.value);
    const partitions = layout.partitions.map((one) => (one === found.value ? now : one));
    return success<Layout>({ ...layout, partitions });
  },
  intentOf: ({ partition }) => ({ verb: 'convert-volume', partition }),
  opposite({ partition }, { disk }) {
    const found = findPartition(disk, partition);
    return {
      lost: [
        `${found ? nameInSentence(found) : `Partition ${partition}`} stays NTFS: nothing brings it back to FAT but formatting it.`,
      ],
    };
  },
  noReturn: () => 'A volume that was converted to NTFS is not converted back.',
  why: ({ disk, steps, step }) => {
    const name = stepPartition(disk, steps, step);
    const system = findPartition(disk, step.partition)?.volume?.fileSystem;
    return `${name} has ${system ? FILE_SYSTEM_NAME[system] : 'FAT'}, which no tool of this kit extends. Windows converts it to NTFS where it is, with its files.`;
  },
  object: (_step, _disk, name) => name,
  line: (_step, _disk, name) => `Convert ${name} to NTFS`,
  figures: ({ step }) => [{ label: 'Free in it at the least', bytes: step.bytesCopied }],
  words({ disk, steps, step, before }) {
    const name = stepPartition(disk, steps, step);
    const partition = before.partitions.find((one) => one.number === step.partition);
    const needs = partition?.volume ? formatSize(getConversionRoom(disk, partition)) : '';
    const label = partition?.volume?.label;
    return {
      title: `Convert ${name} to NTFS`,
      do: [
        `Close everything that has files open on ${name}. At least ${needs} must be free in it.`,
        `Windows does it in place: the files stay, and there is no way back.${label ? ` It asks for the volume’s label: ${label}.` : ''}`,
        ...(partition?.role === 'windows'
          ? [
              'It is the Windows volume itself, so it says that it will do it at the next start: restart, and let it finish.',
            ]
          : []),
      ],
      expected: `${name} has the file system NTFS, and its files are where they were.`,
      ifNot: [
        'It says that there is not enough room: free some more in the volume; nothing was changed.',
        'It says that the volume is in use: let it be done at the next start, and restart.',
        SURVEY_AGAIN,
      ],
      ifInterrupted:
        'Until the last moment the volume is FAT as before. Let Windows check it at the next start, then convert it once more.',
    };
  },
  script(told) {
    const { disk, step, diskBytes, before } = told;
    const partition = before.partitions.find((one) => one.number === step.partition);
    if (!partition?.letter || !partition.volume) return null;
    const name = nameInScript(told, step.partition);
    const needs = getConversionRoom(disk, partition);
    return [
      ...guard(disk, diskBytes, [scriptExpectation('part', name, disk, partition)]),
      `if ([string]$part.DriveLetter -ne ${quoteLiteral(partition.letter)}) { ${stop(`${name} has another letter.`)} }`,
      `$volume = Get-Volume -DriveLetter ${partition.letter}`,
      `if ($volume.FileSystem -eq 'NTFS') { ${stop(`${name} is NTFS already.`)} }`,
      `if ($volume.SizeRemaining -lt ${needs}) { ${stop(`${name} needs ${needs} bytes free to be converted.`)} }`,
      `convert.exe ${partition.letter}: /fs:ntfs`,
      scriptDone(`${name} is converted, or will be at the next start, as Windows says above.`),
    ];
  },
};
