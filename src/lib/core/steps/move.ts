import { bootRepairOf } from './boot';
import { SURVEY_AGAIN, formatExactSize, stepPartition } from './names';
import { able, explainNoTool, priced, refused, subjectOf, type Able } from './abilities';
import { impossible, partitionAt, replaced, type Layout } from './layout';
import { canMove, exposedBytes, moveBytes, movesAtRestart, selectTools, type Kit } from '../tools';
import { Type, type Static } from 'typebox';
import { bytesOf, endOf, nameInSentence, type Disk, type Extent, type Partition } from '../disk';
import { formatMib, formatSize } from '../units';
import { amount, endFigure, sizeFigure, startFigure } from './figures';
import { closed, PartitionNumber, Sector } from '../shapes';
import { CHANGED } from './step';
import type { VerbModule } from './verb';

const MoveStep = closed({
  ...CHANGED,
  verb: Type.Literal('move'),
  /** Boot data or a letter hangs on the old place (MBR) and is repaired afterwards. */
  repair: Type.Optional(Type.String({ maxLength: 500 })),
});
export type MoveStep = Static<typeof MoveStep>;
const MoveIntent = closed({ verb: Type.Literal('move'), partition: PartitionNumber, first: Sector });
export type MoveIntent = Static<typeof MoveIntent>;

export const movers = (kit: Kit, partition: Partition, decrypted: boolean): Able =>
  partition.kind === 'extended'
    ? refused('An extended partition is a frame: its two ends move, not the whole.')
    : able(
        selectTools(kit, (tool) => canMove(tool, partition, { decrypted })),
        explainNoTool(kit, partition, decrypted, 'moves'),
      );

/**
 * On MBR boot data and letters are bound to signature and byte offset, on GPT the firmware's entry may be (domain facts
 * 3).
 */
function repairOf(disk: Disk, partition: Partition): string | null {
  switch (bootRepairOf(disk, partition)) {
    case 'must':
      return 'Repair the boot data afterwards: on an MBR disk it is bound to the place where this partition starts.';
    case 'may':
      return 'See afterwards that the machine starts: its firmware may name the place where this partition started.';
  }
  return disk.table === 'mbr' && partition.letter
    ? `See that it is ${partition.letter}: again afterwards: on an MBR disk the letter is bound to the place.`
    : null;
}

/** Sectors directly before and directly behind an extent that lie in no partition. */
function roomAround(layout: Layout, extent: Extent, number: number): { left: number; right: number } {
  const others = layout.partitions.filter((one) => one.number !== number);
  const me = layout.partitions.find((one) => one.number === number);
  const frame = me?.kind === 'logical' ? others.find((one) => one.kind === 'extended') : undefined;
  const beside = others.filter((one) => (frame ? one.kind === 'logical' : one.kind !== 'logical'));
  const area = frame ?? layout.usable;
  const before = beside.filter((one) => one.first < extent.first).map(endOf);
  const behind = beside.filter((one) => one.first >= endOf(extent)).map((one) => one.first);
  return {
    left: extent.first - Math.max(area.first, ...before),
    right: Math.min(endOf(area), ...behind) - endOf(extent),
  };
}

const goesRight = ({ from, to }: MoveStep): boolean => to.first > from.first;

export const move: VerbModule<'move'> = {
  step: MoveStep,
  intents: { move: MoveIntent },
  name: 'Move',
  resolve(ground, intent) {
    const { terms, kit } = ground;
    const subject = subjectOf(ground, intent.partition);
    if (!subject.ok) return subject;
    const { partition, who, made, used, decrypted } = subject.value;
    const { first, sectors } = partition;
    const [from, to] = [
      { first, sectors },
      { first: intent.first, sectors },
    ];
    const bytesCopied = made && used !== null ? used : moveBytes(terms.disk, partition);
    const repair = repairOf(terms.disk, partition);
    return priced(
      {
        ...who,
        verb: 'move',
        from,
        to,
        bytesCopied,
        exposedBytes: exposedBytes(from, to, bytesCopied),
        ...(repair ? { repair } : {}),
      },
      movers(kit, partition, decrypted),
      selectTools(kit, (tool) => movesAtRestart(tool, partition)),
    );
  },
  apply(disk, layout, { partition, from, to }) {
    const found = partitionAt(layout, partition, from);
    if (!found.ok) return found;
    const whole = found.value.kind !== 'extended' && to.first !== from.first && to.sectors === from.sectors;
    return whole ? replaced(disk, layout, found.value, to) : impossible('that is no move');
  },
  intentOf: ({ partition, to }) => ({ verb: 'move', partition, first: to.first }),
  opposite: ({ partition, from }, back) => ({
    intents: [{ verb: 'move', partition: back.numberNow(partition), first: from.first }],
  }),
  noReturn: (step) =>
    step.exposedBytes > 0
      ? 'It writes over the place that it comes from: once begun it must be finished.'
      : null,
  why({ disk, target, steps, step }) {
    const name = stepPartition(disk, steps, step);
    const side = goesRight(step) ? 'right' : 'left';
    const later = steps.slice(steps.indexOf(step) + 1);
    if (later.some((one) => one.verb === 'move' && one.partition === step.partition)) {
      return `${name} first goes to free room, out of its own way: then no moment of its move can lose anything.`;
    }
    if (step.partition === target.number)
      return `${nameInSentence(target)} itself moves to the ${side}, whole, to where there is room behind it.`;
    const clear =
      step.exposedBytes === 0 && step.bytesCopied > 0
        ? ' It goes clear of its old place, so a power cut loses nothing.'
        : '';
    return `${name} makes room: it moves to the ${side}, whole.${clear}`;
  },
  object: (step, disk, name) =>
    `${name} ${goesRight(step) ? 'right' : 'left'} ${formatSize(Math.abs(step.to.first - step.from.first) * disk.sectorSize)}`,
  line: ({ to }, disk, name) =>
    `Move ${name} to start at ${formatMib(to.first * disk.sectorSize, disk.sectorSize)}`,
  figures({ disk, step, after }) {
    const { from, to, partition } = step;
    const room = roomAround(after, to, partition);
    return [
      startFigure(disk, 'Start now', from),
      amount(disk, goesRight(step) ? 'Shift to the right' : 'Shift to the left', to.first - from.first),
      startFigure(disk, 'New start', to),
      endFigure(disk, 'New end', to),
      sizeFigure(disk, 'Size (stays)', to),
      amount(disk, 'Room left of it afterwards', room.left),
      amount(disk, 'Room right of it afterwards', room.right),
    ];
  },
  words({ disk, steps, step }) {
    const name = stepPartition(disk, steps, step);
    const by = Math.abs(step.to.first - step.from.first) * disk.sectorSize;
    return {
      title: `Move ${name} ${goesRight(step) ? 'right' : 'left'} by ${formatSize(by)}`,
      do: [
        `Choose ${name} and move it as a whole to its new start. Its size stays exactly the same: compare it before you go on.`,
        'A tool asks for the new start, for the shift, or for the room left of it: all three stand below.',
        ...(step.repair ? [step.repair] : []),
      ],
      expected: `${name} starts at ${formatMib(step.to.first * disk.sectorSize, disk.sectorSize)} and still has ${formatExactSize(bytesOf(disk, step.to), disk.sectorSize)}.`,
      ifNot: [
        'Its size has changed: take it back before the commit point, and enter the figures again.',
        SURVEY_AGAIN,
      ],
      ifInterrupted:
        step.exposedBytes > 0
          ? `${name} lies partly in its old and partly in its new place: only the same tool can finish it. Do not start Windows, let no check run. Start the tool again and let it resume; if it can’t, restore the image.`
          : `Old and new place do not overlap: the old one holds everything until the table changes at the very end. ${name} is whole, in one place or the other; survey the disk again.`,
    };
  },
  script: () => null,
};
