import { SURVEY_AGAIN, formatExactSize, findPartition, stepPartition } from './names';
import { able, explainNoTool, priced, refused, subjectOf, type Able } from './abilities';
import type { Layout } from './layout';
import {
  KEEP_NOTHING,
  NO_TOOLS,
  both,
  canShrink,
  donorBound,
  selectTools,
  countUsedBeyond,
  type Kit,
  type Tool,
} from '../tools';
import { Type, type Static } from 'typebox';
import { bytesOf, nameInSentence, type Disk, type Partition } from '../disk';
import { success } from '../problem';
import { formatSize } from '../units';
import { applyResize, figuresOfResize, lineOfResize, objectOfResize, scriptOfResize } from './resize';
import { closed, ExtentShape, PartitionNumber } from '../shapes';
import { CHANGED } from './step';
import type { VerbModule } from './verb';

const ShrinkStep = closed({ ...CHANGED, verb: Type.Literal('shrink') });
export type ShrinkStep = Static<typeof ShrinkStep>;
/** A partition ends earlier, or an extended partition at either end. */
const ShrinkIntent = closed({
  verb: Type.Literal('shrink'),
  partition: PartitionNumber,
  to: ExtentShape,
});
export type ShrinkIntent = Static<typeof ShrinkIntent>;

/** The smallest size in bytes to which a tool brings a partition: its floor, rounded up to a MiB; null: unknown. */
export const findFloor = (disk: Disk, partition: Partition, tool: Tool): number | null =>
  donorBound(disk, partition, KEEP_NOTHING, tool.floor);

/** The tools that shrink a partition to a size in bytes. */
export function findShrinkers(
  kit: Kit,
  disk: Disk,
  partition: Partition,
  decrypted: boolean,
  size: number,
): Able {
  const can = selectTools(kit, (tool) => canShrink(tool, partition, { decrypted }));
  if (can === NO_TOOLS) return refused(explainNoTool(kit, partition, decrypted, 'shrinks'));
  if (partition.kind === 'extended') return success(can);
  const floorOf = (tool: Tool): number =>
    canShrink(tool, partition, { decrypted }) ? (findFloor(disk, partition, tool) ?? Infinity) : Infinity;
  const name = nameInSentence(partition);
  const least = Math.min(...kit.tools.map(floorOf));
  if (least === Infinity) return refused(`How much ${name} holds is not known, so nothing may shrink it.`);
  const tool = kit.tools.find((one) => floorOf(one) === least)!;
  return able(
    both(
      can,
      selectTools(kit, (one) => floorOf(one) <= size),
    ),
    least >= bytesOf(disk, partition)
      ? `${name} has nothing to spare: ${tool.name} brings it no further down than it is.`
      : `${tool.name} brings ${name} down to ${formatSize(least)} at the least.`,
  );
}

/** B(x) - B(m), where m is the smallest size that the partition had so far (domain facts 8). */
function bytesCopied(layout: Layout, { number, volume }: Partition, size: number): number {
  if (!volume || volume.used === null) return 0;
  const before = layout.smallest.get(number);
  const spent = before === undefined ? 0 : countUsedBeyond(volume, before);
  return Math.max(0, countUsedBeyond(volume, size) - spent);
}

export const shrink: VerbModule<'shrink'> = {
  step: ShrinkStep,
  intents: { shrink: ShrinkIntent },
  name: 'Shrink',
  resolve(ground, { partition: number, to }) {
    const { terms, kit, layout } = ground;
    const subject = subjectOf(ground, number);
    if (!subject.ok) return subject;
    const { partition, who, made, decrypted } = subject.value;
    if (made)
      return refused('A volume that is made on the way is made as small as it is to be: it is never shrunk.');
    const { first, sectors } = partition;
    const size = bytesOf(terms.disk, to);
    return priced(
      {
        ...who,
        verb: 'shrink',
        from: { first, sectors },
        to,
        bytesCopied: bytesCopied(layout, partition, size),
        exposedBytes: 0,
      },
      findShrinkers(kit, terms.disk, partition, decrypted, size),
    );
  },
  apply(disk, layout, step) {
    const after = applyResize(disk, layout, step);
    if (!after.ok) return after;
    const least = Math.min(bytesOf(disk, step.to), layout.smallest.get(step.partition) ?? Infinity);
    return success({ ...after.value, smallest: new Map([...layout.smallest, [step.partition, least]]) });
  },
  intentOf: ({ partition, to }) => ({ verb: 'shrink', partition, to }),
  opposite: ({ partition, from }, back) => ({
    intents: [{ verb: 'extend', partition: back.numberNow(partition), to: from }],
  }),
  noReturn: () => null,
  why: ({ disk, steps, step }) =>
    findPartition(disk, step.partition)?.kind === 'extended'
      ? 'The extended partition ends closer around its drives, so that the room beside it counts outside.'
      : `${stepPartition(disk, steps, step)} has room to spare: this frees ${formatSize(bytesOf(disk, step.from) - bytesOf(disk, step.to))} at its end.`,
  object: objectOfResize,
  line: (step, disk, name) => lineOfResize('Shrink', step, disk, name),
  figures: ({ disk, step }) => figuresOfResize(disk, step, 'Amount to give up'),
  words({ disk, steps, step }) {
    const name = stepPartition(disk, steps, step);
    return {
      title: `Shrink ${name} by ${formatSize(bytesOf(disk, step.from) - bytesOf(disk, step.to))} at its right end`,
      do: [
        `Choose ${name} and make it smaller. Its start stays where it is: only the right end moves.`,
        'A tool asks either for the amount to give up or for the new size. Give it the one that it asks for, not the other.',
      ],
      expected: `${name} has ${formatExactSize(bytesOf(disk, step.to), disk.sectorSize)}, and the room that it gave lies unallocated directly behind it.`,
      ifNot: [
        'The new size is refused: files that can’t be moved lie too far back. Programs closed? Fast start off? Let the file check run, then try once more.',
        SURVEY_AGAIN,
      ],
      ifInterrupted: `The entry in the table is changed last: until then ${name} is as large as before, with its files closer together. Let a file check run, then survey the disk again.`,
    };
  },
  script: scriptOfResize,
};
