import { SURVEY_AGAIN, capitalise, formatExactSize, findPartition, stepPartition } from './names';
import { explainNoTool, priced, refused, subjectOf, type Able, type Subject } from './abilities';
import { partitionAt, type Layout } from './layout';
import { selectAllTools, canCopy, isEncrypted, marginOf, type Kit } from '../tools';
import { Type, type Static } from 'typebox';
import { nameInSentence, type Partition } from '../disk';
import { failure, success, type Outcome } from '../problem';
import { formatSize, MIB, roundUp } from '../units';
import { askFolder, copyRun, needsLetter, rootOf } from './powershell/copyLines';
import { scriptExpectation, guard } from './powershell/guard';
import { nameInScript } from './powershell/names';
import { closed, Name, PartitionNumber } from '../shapes';
import { INSIDE, type PricedStep } from './step';
import type { StepContext, OnSheet, VerbModule } from './verb';

const Into = Type.Union([closed({ partition: PartitionNumber }), closed({ outside: Name })]);
/**
 * To another volume or an outside place, or back from there; `of`: the number as found of the partition that the files
 * were in.
 */
const CopyStep = Type.Union([
  closed({ ...INSIDE, verb: Type.Literal('copy'), into: Into }),
  closed({ ...INSIDE, verb: Type.Literal('copy'), fromOutside: Name, of: PartitionNumber }),
]);
export type CopyStep = Static<typeof CopyStep>;
const COPY_INTENTS = {
  copy: closed({
    verb: Type.Literal('copy'),
    partition: PartitionNumber,
    into: Type.Unsafe<Static<typeof Into>>({
      type: 'object',
      properties: { partition: PartitionNumber, outside: Name },
      minProperties: 1,
      maxProperties: 1,
      additionalProperties: false,
    }),
  }),
  'copy-back': closed({
    verb: Type.Literal('copy-back'),
    partition: PartitionNumber,
    of: PartitionNumber,
    fromOutside: Name,
  }),
};
export type CopyIntent = Static<(typeof COPY_INTENTS)[keyof typeof COPY_INTENTS]>;
type CopyOut = Extract<CopyIntent, { verb: 'copy' }>;
type CopyBack = Extract<CopyIntent, { verb: 'copy-back' }>;

/** The tools that copy the files of a data volume. */
export function findCopiers(kit: Kit, partition: Partition, decrypted: boolean): Able {
  const name = nameInSentence(partition);
  if (canCopy(partition, { decrypted })) return success(selectAllTools(kit));
  if (partition.role !== 'data' || partition.kind === 'extended') {
    return refused(`${name} is no data volume: what it holds can’t be copied file by file.`);
  }
  return refused(
    isEncrypted(partition)
      ? explainNoTool(kit, partition, decrypted, 'copies')
      : `The files of ${name} can’t be read.`,
  );
}

/**
 * A new volume takes the files and a margin for what can't be packed (domain facts 7 and 8), or is as large as the old
 * one.
 */
function tooSmall(into: Partition, source: Partition): string | null {
  const { size, used } = source.volume!;
  const need = Math.min(size, roundUp((used ?? 0) + marginOf({ size }, used ?? 0), MIB));
  return (into.volume?.size ?? 0) >= need
    ? null
    : `The new volume is too small for the files of ${nameInSentence(source)}: it needs ${formatSize(need)}.`;
}

function noPlaceFor(
  { terms, layout }: StepContext,
  { partition, used }: Subject,
  into: CopyOut['into'],
): string | null {
  if ('outside' in into) {
    const left = layout.outside.get(into.outside);
    if (left === undefined) return `There is no outside place “${into.outside}” for this goal.`;
    return left >= (used ?? 0)
      ? null
      : `${into.outside} has ${formatSize(left)} left, and ${formatSize(used ?? 0)} are to be copied.`;
  }
  const target = layout.partitions.find((one) => one.number === into.partition);
  if (!target) return `There is no partition ${into.partition} to copy into here.`;
  if (terms.disk.partitions.some((one) => one.number === into.partition)) {
    return `${nameInSentence(target)} holds files of its own. Copy into a volume that the drawing makes.`;
  }
  if ([...layout.holds.values()].includes(into.partition)) return 'That new volume holds files already.';
  return partition.volume ? tooSmall(target, partition) : null;
}

const STILL = { from: null, to: null, exposedBytes: 0 } as const;

function out(ground: StepContext, { into }: CopyOut, subject: Subject): Outcome<PricedStep> {
  const why = noPlaceFor(ground, subject, into);
  if (why) return refused(why);
  const { who, partition, decrypted, used } = subject;
  return priced(
    { ...who, ...STILL, verb: 'copy', into, bytesCopied: used ?? 0 },
    findCopiers(ground.kit, partition, decrypted),
  );
}

function back(
  { terms, kit, layout }: StepContext,
  { of, fromOutside }: CopyBack,
  subject: Subject,
): Outcome<PricedStep> {
  const source = findPartition(terms.disk, of);
  const bytes = source?.volume?.used;
  if (!source || bytes === null || bytes === undefined)
    return refused(`What partition ${of} held is not known.`);
  if (!layout.copied.includes(of)) {
    return refused(`The files of ${nameInSentence(source)} do not lie at ${fromOutside} yet.`);
  }
  const short = tooSmall(subject.partition, source);
  if (short) return refused(short);
  return priced(
    { ...subject.who, ...STILL, verb: 'copy', fromOutside, of, bytesCopied: bytes },
    success(selectAllTools(kit)),
  );
}

/** Files that a copy brings fill the volume that it goes into; it takes over letter and label with them. */
function filled(layout: Layout, into: number, source: Partition | undefined): Layout {
  if (!source?.volume) return layout;
  const { used, label } = source.volume;
  const { letter } = source;
  const partitions = layout.partitions.map((one) =>
    one.number === into && one.volume ? { ...one, letter, volume: { ...one.volume, used, label } } : one,
  );
  return { ...layout, partitions, holds: new Map([...layout.holds, [source.number, into]]) };
}

export const copy: VerbModule<'copy'> = {
  step: CopyStep,
  intents: COPY_INTENTS,
  name: 'Copy',
  resolve(ground, intent) {
    const subject = subjectOf(ground, intent.partition);
    if (!subject.ok) return subject;
    return intent.verb === 'copy' ? out(ground, intent, subject.value) : back(ground, intent, subject.value);
  },
  apply(disk, layout, step) {
    const { partition } = step;
    const found = partitionAt(layout, partition);
    if ('fromOutside' in step) {
      if (!found.ok)
        return failure({ ...found.problems[0]!, message: `${found.problems[0]!.message} to copy back into` });
      return success(filled(layout, partition, findPartition(disk, step.of)));
    }
    if (!found.ok) return found;
    const copied = { ...layout, copied: [...layout.copied, partition] };
    if ('partition' in step.into)
      return success(filled(copied, step.into.partition, findPartition(disk, partition)));
    const left = (layout.outside.get(step.into.outside) ?? 0) - step.bytesCopied;
    return success({ ...copied, outside: new Map([...layout.outside, [step.into.outside, left]]) });
  },
  intentOf: (step) =>
    'fromOutside' in step
      ? { verb: 'copy-back', partition: step.partition, of: step.of, fromOutside: step.fromOutside }
      : { verb: 'copy', partition: step.partition, into: step.into },
  /** Its source is untouched; a deletion that follows brings the files back. */
  opposite: () => ({}),
  noReturn: () => null,
  why({ disk, steps, step }) {
    if ('fromOutside' in step) return `The files come back from ${step.fromOutside}.`;
    const name = stepPartition(disk, steps, step);
    return 'outside' in step.into
      ? `The files of ${name} go to ${step.into.outside} meanwhile.`
      : `The files of ${name} go to their new place; it takes over the letter.`;
  },
  object(step, _, name) {
    if ('fromOutside' in step) return `back from ${step.fromOutside}`;
    return 'outside' in step.into ? `${name} to ${step.into.outside}` : `${name} to new volume`;
  },
  line: () => 'Copy the files back',
  figures: ({ step }) => [{ label: 'Files to copy', bytes: step.bytesCopied }],
  words({ disk, steps, step }) {
    const name = stepPartition(disk, steps, step);
    const isBack = 'fromOutside' in step;
    const source = isBack ? findPartition(disk, step.of) : undefined;
    const from = isBack
      ? `${step.fromOutside}${source ? `, those of ${source.letter ?? source.number}` : ''}`
      : name;
    const to = isBack
      ? name
      : 'outside' in step.into
        ? step.into.outside
        : 'the new volume that was made for it';
    return {
      title: isBack ? `Copy the files back into ${name}` : `Copy the files of ${name} to ${to}`,
      do: [
        `Copy every file and folder from ${from} to ${to}, hidden ones, times and permissions included.`,
        'Programs that use these files stay closed until the copy is proved.',
      ],
      expected: `${capitalise(to)} holds ${formatExactSize(step.bytesCopied, disk.sectorSize)} of files, and as many of them as the source.`,
      ifNot: [
        'Counts or sizes differ: delete nothing. Copy again what is missing; a file that can’t be read is told to the owner.',
        SURVEY_AGAIN,
      ],
      ifInterrupted: 'The source is untouched. Copy again; what is there already is left as it is.',
    };
  },
  script: copyLines,
};

/** Files from volume to volume, with a log; nothing is written over that is not from the same source. */
function copyLines(told: OnSheet<'copy'>): string[] | null {
  const { disk, step, before, diskBytes } = told;
  const at = (number: number) => before.partitions.find((one) => one.number === number);
  const one = at(step.partition);
  if (!one) return null;
  const name = nameInScript(told, step.partition);
  if ('fromOutside' in step) {
    return [
      ...guard(disk, diskBytes, [scriptExpectation('to', name, disk, one)]),
      needsLetter('to', name),
      ...askFolder(step.fromOutside),
      ...copyRun('$place', rootOf('to')),
    ];
  }
  const from = scriptExpectation('from', name, disk, one);
  if ('outside' in step.into) {
    return [
      ...guard(disk, diskBytes, [from]),
      needsLetter('from', name),
      ...askFolder(step.into.outside),
      ...copyRun(rootOf('from'), '$place'),
    ];
  }
  const to = at(step.into.partition);
  if (!to) return null;
  return [
    ...guard(disk, diskBytes, [from, scriptExpectation('to', 'the new volume', disk, to)]),
    needsLetter('from', name),
    needsLetter('to', 'the new volume'),
    ...copyRun(rootOf('from'), rootOf('to')),
  ];
}
