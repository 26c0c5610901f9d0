import { Creation, MADE } from './step';
import { SURVEY_AGAIN, capitalise, formatExactSize, findPartition, sourceOf, stepPartition } from './names';
import { able, priced, refused, type Able } from './abilities';
import { NO_TOOLS, WINDOWS_FAT32, canFormat, cannotHave, donorBound, selectTools } from '../tools';
import { Type, type Static } from 'typebox';
import { bytesOf, contains, nameInSentence } from '../disk';
import { success } from '../problem';
import { formatMib, formatSize } from '../units';
import { makePartition } from './creation';
import { placeFigures } from './figures';
import { impossible, placed } from './layout';
import { makeLines, NEW } from './powershell/format';
import { scriptDone } from './powershell/guard';
import { nameInScript } from './powershell/names';
import { closed, ExtentShape, PartitionNumber } from '../shapes';
import type { StepContext, VerbModule } from './verb';

const CreateStep = closed({ ...MADE, verb: Type.Literal('create') });
export type CreateStep = Static<typeof CreateStep>;
const CreateIntent = closed({
  verb: Type.Literal('create'),
  partition: PartitionNumber,
  to: ExtentShape,
  create: Creation,
  /** The donor whose files it is made for; then it keeps to that donor's bound. */
  of: Type.Optional(PartitionNumber),
});
export type CreateIntent = Static<typeof CreateIntent>;

/** Partitions that a table holds (domain facts 2 and 3): by default on GPT, primary ones on MBR. */
const TABLE_HOLDS = { gpt: 128, mbr: 4 } as const;

/** The tools that may make it: for a donor's files no smaller than the bound of the tool itself (domain facts 8). */
function makers({ terms, kit }: StepContext, { to, of, create: made }: CreateIntent): Able {
  const source = of === undefined ? undefined : findPartition(terms.disk, of);
  const bytes = bytesOf(terms.disk, to);
  const wrong = cannotHave(terms.disk, made, bytes);
  if (wrong) return refused(wrong);
  const formats = selectTools(kit, (tool) => canFormat(tool, made.fileSystem, bytes));
  if (formats === NO_TOOLS) {
    return refused(
      `Windows itself formats no FAT32 above ${formatSize(WINDOWS_FAT32)}, and the kit “${kit.name}” has no other tool.`,
    );
  }
  if (!source) return success(formats);
  const can = selectTools(kit, (tool) => {
    const bound = donorBound(terms.disk, source, terms.keepFree, tool.floor);
    return bound !== null && bound <= bytes && canFormat(tool, made.fileSystem, bytes);
  });
  return able(
    can,
    `No tool of the kit “${kit.name}” brings ${nameInSentence(source)} down to ${formatSize(bytes)}.`,
  );
}

export const create: VerbModule<'create'> = {
  step: CreateStep,
  intents: { create: CreateIntent },
  name: 'Create',
  resolve(ground, intent) {
    const { disk } = ground.terms;
    const { partitions } = ground.layout;
    const { partition, to } = intent;
    if (partitions.some((one) => one.number === partition))
      return refused(`There is a partition ${partition} already.`);
    const frame = partitions.find((one) => one.kind === 'extended');
    const inside = frame !== undefined && contains(frame, to);
    const entries = partitions.filter((one) => one.kind !== 'logical').length;
    if (!inside && entries >= TABLE_HOLDS[disk.table]) {
      return refused(`The table is full: it holds ${entries} partitions already.`);
    }
    return priced(
      {
        partition,
        id: null,
        verb: 'create',
        from: null,
        to,
        create: intent.create,
        bytesCopied: 0,
        exposedBytes: 0,
      },
      makers(ground, intent),
    );
  },
  apply(disk, layout, step) {
    if (step.to.sectors <= 0) return impossible('nothing would be made');
    const after = placed(disk, layout, makePartition(disk, step));
    if (!after.ok) return after;
    return success({ ...after.value, made: new Set([...layout.made, step.partition]) });
  },
  intentOf({ partition, to, create }, steps) {
    const source = steps.find(
      (one) =>
        one.verb === 'copy' &&
        !('fromOutside' in one) &&
        'partition' in one.into &&
        one.into.partition === partition,
    );
    const back = steps.find(
      (one) => one.verb === 'copy' && 'fromOutside' in one && one.partition === partition,
    );
    const of = source?.partition ?? (back && 'of' in back ? back.of : undefined);
    return { verb: 'create', partition, to, create, ...(typeof of === 'number' ? { of } : {}) };
  },
  opposite: ({ partition }, back) => ({
    intents: [{ verb: 'delete', partition: back.numberNow(partition), word: 'the drawing made it' }],
  }),
  noReturn: () => null,
  why({ disk, steps, step }) {
    const source = sourceOf(disk, steps, step.partition);
    return source
      ? `A new volume is made to take the files of ${nameInSentence(source)}.`
      : 'Room that belongs to nobody becomes a volume of its own.';
  },
  object: ({ to }, disk, name) => `${name}, ${formatSize(bytesOf(disk, to))}`,
  line: ({ to }, disk, name) =>
    `Create ${name} at ${formatMib(to.first * disk.sectorSize, disk.sectorSize)} with ${formatMib(bytesOf(disk, to), disk.sectorSize)}`,
  figures: ({ disk, step }) => placeFigures(disk, step.to),
  words({ disk, steps, step }) {
    const name = stepPartition(disk, steps, step);
    const size = bytesOf(disk, step.to);
    return {
      title: `Create ${name}, ${formatSize(size)}`,
      do: [
        'Make a new volume with exactly this start and size, and format it as written below.',
        sourceOf(disk, steps, step.partition)
          ? 'A letter that Windows gives it is for the meantime only.'
          : 'It keeps the letter that Windows gives it, or another free one that the owner wants.',
      ],
      expected: `${capitalise(name)} is there, empty, with ${formatExactSize(size, disk.sectorSize)}.`,
      ifNot: [
        'It lies elsewhere or has another size: delete it, and make it again with the figures below.',
        SURVEY_AGAIN,
      ],
      ifInterrupted: 'Nothing else was touched. Delete what was made and do this step again.',
    };
  },
  script(told) {
    const name = nameInScript(told, told.step.partition);
    return [
      ...makeLines(told, name),
      `Add-PartitionAccessPath ${NEW} -AssignDriveLetter`,
      `'Its letter: ' + (Get-Partition ${NEW}).DriveLetter`,
      scriptDone(`${name} is there.`),
    ];
  },
};
