import { SURVEY_AGAIN, formatExactSize, findPartition, stepPartition } from './names';
import { able, explainNoTool, priced, refused, subjectOf, type Able } from './abilities';
import { canExtend, sizeLimit, selectTools, type Kit } from '../tools';
import { Type, type Static } from 'typebox';
import { bytesOf, nameInSentence, type Partition } from '../disk';
import { formatSize } from '../units';
import { applyResize, figuresOfResize, lineOfResize, objectOfResize, scriptOfResize } from './resize';
import { closed, ExtentShape, PartitionNumber } from '../shapes';
import { CHANGED } from './step';
import type { VerbModule } from './verb';

const ExtendStep = closed({ ...CHANGED, verb: Type.Literal('extend') });
export type ExtendStep = Static<typeof ExtendStep>;
/** A partition ends further right, or an extended partition at either end. */
const ExtendIntent = closed({
  verb: Type.Literal('extend'),
  partition: PartitionNumber,
  to: ExtentShape,
});
export type ExtendIntent = Static<typeof ExtendIntent>;

export const extenders = (kit: Kit, partition: Partition, decrypted: boolean): Able =>
  able(
    selectTools(kit, (tool) => canExtend(tool, partition, { decrypted })),
    explainNoTool(kit, partition, decrypted, 'extends'),
  );

export const extend: VerbModule<'extend'> = {
  step: ExtendStep,
  intents: { extend: ExtendIntent },
  name: 'Extend',
  resolve(ground, { partition: number, to }) {
    const subject = subjectOf(ground, number);
    if (!subject.ok) return subject;
    const { partition, who, decrypted } = subject.value;
    const { first, sectors } = partition;
    const limit = sizeLimit(ground.terms.disk, partition);
    if (limit && bytesOf(ground.terms.disk, to) > limit.bytes)
      return refused(`The file system of ${nameInSentence(partition)} ends at ${formatSize(limit.bytes)}.`);
    return priced(
      { ...who, verb: 'extend', from: { first, sectors }, to, bytesCopied: 0, exposedBytes: 0 },
      extenders(ground.kit, partition, decrypted),
    );
  },
  apply: applyResize,
  intentOf: ({ partition, to }) => ({ verb: 'extend', partition, to }),
  opposite: ({ partition, from }, back) => ({
    intents: [{ verb: 'shrink', partition: back.numberNow(partition), to: from }],
  }),
  noReturn: () => null,
  why: ({ disk, steps, step }) =>
    findPartition(disk, step.partition)?.kind === 'extended'
      ? 'The extended partition reaches further, so that the room beside it counts for its drives.'
      : `${stepPartition(disk, steps, step)} takes the room that now lies directly behind it.`,
  object: objectOfResize,
  line: (step, disk, name) => lineOfResize('Extend', step, disk, name),
  figures: ({ disk, step }) => figuresOfResize(disk, step, 'Amount to add'),
  words({ disk, steps, step }) {
    const name = stepPartition(disk, steps, step);
    return {
      title: `Extend ${name} by ${formatSize(bytesOf(disk, step.to) - bytesOf(disk, step.from))}`,
      do: [
        `Choose ${name} and make it larger, into the unallocated space that lies directly behind it.`,
        'A tool asks either for the amount to add or for the new total. Give it the one that it asks for, not the other.',
      ],
      expected: `${name} has ${formatExactSize(bytesOf(disk, step.to), disk.sectorSize)}. Its files are where they were.`,
      ifNot: [
        'The room is not offered: read the disk again in the tool. It must lie directly behind, on the same disk.',
        'The partition is larger, but the volume inside it is not: extend once more; nothing is lost by that.',
        SURVEY_AGAIN,
      ],
      ifInterrupted: `The partition may be larger already than the volume inside it. Nothing is lost: extend ${name} once more.`,
    };
  },
  script: scriptOfResize,
};
