import { Type, type Static } from 'typebox';
import { bytesOf, ROLES, nameInSentence } from '../disk';
import { success } from '../problem';
import { canMove, isEncrypted, moveBytes, movesAtRestart, selectTools } from '../tools';
import { formatMib, formatSize } from '../units';
import { Bytes, closed, ExtentShape, orNull, PartitionNumber, Text } from '../shapes';
import { able, priced, refused } from './abilities';
import { creationOf, makePartition } from './creation';
import { placeFigures } from './figures';
import { impossible, placed } from './layout';
import { capitalise, formatExactSize, SURVEY_AGAIN } from './names';
import { MADE } from './step';
import type { VerbModule } from './verb';

/** A partition of the disk as found, as it comes to lie on a new one. */
const CloneStep = closed({
  ...MADE,
  verb: Type.Literal('clone'),
  /** Source of it; its number there is its number in the plan. `used`: bytes, null where that is not known. */
  source: closed({
    disk: Type.Integer({ minimum: 0, maximum: 255 }),
    name: Type.String({ maxLength: 500 }),
    role: Type.Enum(ROLES),
    letter: orNull(Text),
    active: Type.Boolean(),
    volume: Type.Boolean(),
    used: orNull(Bytes),
  }),
});
export type CloneStep = Static<typeof CloneStep>;
const CloneIntent = closed({ verb: Type.Literal('clone'), partition: PartitionNumber, to: ExtentShape });
export type CloneIntent = Static<typeof CloneIntent>;

const nameOf = ({ source }: CloneStep): string => source.name;

export const clone: VerbModule<'clone'> = {
  step: CloneStep,
  intents: { clone: CloneIntent },
  name: 'Clone',
  resolve({ terms, kit, layout }, { partition: number, to }) {
    const { from } = terms;
    const source = from?.partitions.find((one) => one.number === number);
    if (!from || !source) return refused(`There is no partition ${number} to be cloned.`);
    const name = nameInSentence(source);
    if (layout.partitions.some((one) => one.number === number))
      return refused(`${name} is on the new disk already.`);
    if (source.kind !== 'primary')
      return refused(`${name} lies in an extended partition, or is one: that is not cloned.`);
    if (isEncrypted(source))
      return refused(`${name} is encrypted: movers leave it alone until it is fully decrypted.`);
    if (from.sectorSize !== terms.disk.sectorSize)
      return refused(
        `The new disk has sectors of ${terms.disk.sectorSize} bytes: what lies in sectors of ${from.sectorSize} can’t be cloned to it.`,
      );
    if (to.sectors < source.sectors)
      return refused(`${name} does not fit into ${formatSize(bytesOf(from, to))}.`);
    const { role, letter, active, volume } = source;
    const movers = (waits: boolean) =>
      selectTools(
        kit,
        (tool) => tool.id !== 'windows' && canMove(tool, source) && (!waits || movesAtRestart(tool, source)),
      );
    return priced(
      {
        partition: number,
        id: null,
        verb: 'clone',
        from: null,
        to,
        create: creationOf(source),
        source: {
          disk: from.number,
          name,
          role,
          letter,
          active,
          volume: volume !== null,
          used: volume?.used ?? null,
        },
        bytesCopied: moveBytes(from, source),
        // The old disk holds everything until the end.
        exposedBytes: 0,
      },
      able(movers(false), `No tool of the kit “${kit.name}” clones ${name} to another disk.`),
      movers(true),
    );
  },
  apply(disk, layout, step) {
    if (step.to.sectors <= 0) return impossible('nothing would be made');
    const { role, letter, active, volume, used } = step.source;
    const made = makePartition(disk, step);
    const after = placed(disk, layout, {
      ...made,
      role,
      letter,
      active,
      volume: volume && made.volume ? { ...made.volume, used } : null,
    });
    return after.ok ? success({ ...after.value, made: new Set([...layout.made, step.partition]) }) : after;
  },
  intentOf: ({ partition, to }) => ({ verb: 'clone', partition, to }),
  opposite: ({ partition }, back) => ({
    intents: [
      { verb: 'delete', partition: back.numberNow(partition), word: 'the old disk has it as it was' },
    ],
  }),
  noReturn: () => null,
  why: ({ step }) =>
    `${capitalise(nameOf(step))} goes to the new disk as it is. The old disk is only read, and stays the way back.`,
  object: (step, disk) => `${nameOf(step)}, ${formatSize(bytesOf(disk, step.to))}`,
  line: (step, disk) =>
    `Clone ${nameOf(step)} to ${formatMib(step.to.first * disk.sectorSize, disk.sectorSize)} of the new disk`,
  figures: ({ disk, step }) => [
    ...placeFigures(disk, step.to),
    { label: 'To be read and written', bytes: step.bytesCopied },
  ],
  words({ disk, step }) {
    const name = nameOf(step);
    return {
      title: `Clone ${name} to the new disk`,
      do: [
        `From disk ${step.source.disk} to the new disk, never the other way: compare serial and size of both before anything starts.`,
        'Only what is in use is copied. It gets exactly this start and size there, with the type below.',
      ],
      expected: `${capitalise(name)} lies on the new disk with ${formatExactSize(bytesOf(disk, step.to), disk.sectorSize)}; on the old one nothing has changed.`,
      ifNot: [
        'A place of the old disk can’t be read: stop. A disk that fails is first copied as a whole, by something made for that.',
        'It lies elsewhere or has another size: delete it on the new disk, and clone it again.',
        SURVEY_AGAIN,
      ],
      ifInterrupted: 'The old disk is untouched. Delete what was begun on the new one, and clone it again.',
    };
  },
  /** Windows does not clone a volume that it runs from. */
  script: () => null,
};
