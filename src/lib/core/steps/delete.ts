import { creationOf } from './creation';
import { SURVEY_AGAIN, copyOf, findPartition, stepPartition } from './names';
import { impossible, partitionAt, withoutPartition, type Layout } from './layout';
import { GONE, type Step, type StepOf } from './step';
import { Type, type Static } from 'typebox';
import { nameInSentence, type Disk } from '../disk';
import { success } from '../problem';
import { selectAllTools } from '../tools';
import { priced, refused, subjectOf } from './abilities';
import { placeFigures } from './figures';
import { scriptDone, scriptExpectation, guard } from './powershell/guard';
import { nameInScript } from './powershell/names';
import { quoteLiteral } from './powershell/quote';
import { closed, PartitionNumber, Text } from '../shapes';
import type { OnSheet, VerbModule } from './verb';

const DeleteStep = closed({ ...GONE, verb: Type.Literal('delete') });
export type DeleteStep = Static<typeof DeleteStep>;
/** `word`: who allowed it, in the technician's words; not needed for what was copied or is empty. */
const DeleteIntent = closed({ verb: Type.Literal('delete'), partition: PartitionNumber, word: Text });
export type DeleteIntent = Static<typeof DeleteIntent>;

/** The layout without a partition that is deleted or set aside. */
export function removedFrom(
  layout: Layout,
  step: StepOf<'delete' | 'set-aside'>,
): ReturnType<typeof partitionAt> {
  const found = partitionAt(layout, step.partition, step.from);
  if (!found.ok) return found;
  const holds = layout.partitions.some((one) => one.kind === 'logical');
  return found.value.kind === 'extended' && holds ? impossible('it still holds logical drives') : found;
}

/** Effect of an old volume's deletion: the new one takes its letter. */
function notes(disk: Disk, steps: readonly Step[], { partition }: DeleteStep): string[] {
  const found = findPartition(disk, partition);
  const into = copyOf(steps, partition);
  if (!into)
    return found?.role === 'data' ? ['The owner has given his word for this. Without it, stop.'] : [];
  return [
    'Open some files of the copy first, and compare counts and sizes: from here on the copy is all there is.',
    ...('partition' in into && found?.letter
      ? [`Afterwards the new volume takes the letter ${found.letter}:.`]
      : []),
    ...('folder' in into
      ? [
          `With it ${found?.letter ? `the letter ${found.letter}:` : 'the volume'} is gone: what pointed to it is looked for after the work.`,
        ]
      : []),
  ];
}

/** The letter of a volume whose files were copied goes to the new one once the old one is gone. */
function letterLines({ disk, steps, step, before }: OnSheet<'delete'>): string[] {
  const found = findPartition(disk, step.partition);
  const into = copyOf(steps, step.partition);
  const number = into && 'partition' in into ? into.partition : null;
  const made = before.partitions.find((one) => one.number === number);
  if (!found?.letter || !made) return [];
  return [
    `$new = Get-Partition -DiskNumber $disk.Number | Where-Object { $_.Offset -eq ${made.first * disk.sectorSize} }`,
    `Set-Partition -DiskNumber $disk.Number -PartitionNumber $new.PartitionNumber -NewDriveLetter ${quoteLiteral(found.letter)}`,
  ];
}

export const REMOVE_LINE =
  'Remove-Partition -DiskNumber $disk.Number -PartitionNumber $part.PartitionNumber -Confirm:$false';

export const remove: VerbModule<'delete'> = {
  step: DeleteStep,
  intents: { delete: DeleteIntent },
  name: 'Delete',
  resolve(ground, intent) {
    const { terms, kit, layout } = ground;
    const subject = subjectOf(ground, intent.partition);
    if (!subject.ok) return subject;
    const { partition, who, made, used } = subject.value;
    const { first, sectors, number } = partition;
    const name = nameInSentence(partition);
    if (number === terms.target.number && !layout.copied.includes(number))
      return refused(`${name} is the target; it is never deleted.`);
    const safe = layout.copied.includes(number) || (made && used === 0);
    if (!safe && intent.word.trim() === '') return refused(`Deleting ${name} needs the owner’s word.`);
    return priced(
      { ...who, verb: 'delete', from: { first, sectors }, to: null, bytesCopied: 0, exposedBytes: 0 },
      success(selectAllTools(kit)),
    );
  },
  apply(_, layout, step) {
    const gone = removedFrom(layout, step);
    return gone.ok ? success(withoutPartition(layout, gone.value)) : gone;
  },
  intentOf: ({ partition }) => ({ verb: 'delete', partition, word: 'as asked for with the goal' }),
  /** Way back: the volume is made again, and its files come back from where they were copied to. */
  opposite({ partition, from }, { disk, done, renumbered }) {
    const found = findPartition(disk, partition);
    if (!found) return {};
    const name = nameInSentence(found);
    const into = copyOf(done, partition);
    const number = renumbered(partition);
    const made = { verb: 'create', partition: number, to: from, create: creationOf(found) } as const;
    if (!into) {
      return {
        intents: [made],
        lost: [`What ${name} held is gone with it; only a backup brings that back.`],
      };
    }
    const lost = [`${name} is made anew: it gets another GUID.`];
    if ('folder' in into) {
      lost.push(`Its files are to be copied back by hand from the folder “${into.folder}”.`);
      return { intents: [made], lost };
    }
    const back =
      'outside' in into
        ? ({ verb: 'copy-back', partition: number, of: partition, fromOutside: into.outside } as const)
        : ({ verb: 'copy', partition: into.partition, into: { partition: number } } as const);
    return { intents: [made, back], lost };
  },
  noReturn: () => 'What is deleted comes back from its copy or the backup only.',
  why({ disk, steps, step }) {
    const name = stepPartition(disk, steps, step);
    return copyOf(steps, step.partition)
      ? `The files of ${name} lie safe in another place by now, so the old one can go.`
      : `${name} is given up, with the owner’s word: its room is needed.`;
  },
  object: (_step, _disk, name) => name,
  line: (_step, _disk, name) => `Delete ${name}`,
  figures: ({ disk, step }) => placeFigures(disk, step.from),
  words({ disk, steps, step }) {
    const name = stepPartition(disk, steps, step);
    return {
      title: `Delete ${name}`,
      do: [
        `Compare start and size once more: what is deleted here is ${name} and nothing else.`,
        ...notes(disk, steps, step),
      ],
      expected: `In the place of ${name} lies unallocated space.`,
      ifNot: [
        'Something else is gone: stop, write nothing to this disk, and restore from the image.',
        SURVEY_AGAIN,
      ],
      ifInterrupted: `A deletion is one entry in the table: ${name} is either still there or gone. Read the disk again.`,
    };
  },
  script(told) {
    const { disk, step, diskBytes } = told;
    const name = nameInScript(told, step.partition);
    return [
      ...guard(disk, diskBytes, [scriptExpectation('part', name, disk, step.from)]),
      REMOVE_LINE,
      ...letterLines(told),
      scriptDone(`${name} is deleted.`),
    ];
  },
};
