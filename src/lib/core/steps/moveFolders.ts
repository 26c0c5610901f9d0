import { Type, type Static } from 'typebox';
import { nameInSentence } from '../disk';
import { success } from '../problem';
import { windowsAlone } from '../tools';
import { formatSize } from '../units';
import { Bytes, closed, PartitionNumber } from '../shapes';
import { takeFirstCharacters } from '../wellFormed';
import { able, priced, refused, subjectOf } from './abilities';
import { impossible } from './layout';
import { capitalise, findPartition, nameMade, SURVEY_AGAIN, stepPartition } from './names';
import { roomIn, usedBy } from './room';
import { INSIDE } from './step';
import type { InRoute, VerbModule } from './verb';

/** Folders of people that Windows gives another place: where each is, and the bytes that it holds. */
const FOLDERS = Type.Array(closed({ path: Type.String({ minLength: 1, maxLength: 2000 }), bytes: Bytes }), {
  minItems: 1,
  maxItems: 40,
});
const MoveFoldersStep = closed({
  ...INSIDE,
  verb: Type.Literal('move-folders'),
  /** The volume that takes them. */
  into: PartitionNumber,
  folders: FOLDERS,
});
export type MoveFoldersStep = Static<typeof MoveFoldersStep>;
const MoveFoldersIntent = closed({
  verb: Type.Literal('move-folders'),
  partition: PartitionNumber,
  into: PartitionNumber,
  folders: FOLDERS,
});
export type MoveFoldersIntent = Static<typeof MoveFoldersIntent>;

const sumOf = (folders: MoveFoldersStep['folders']): number =>
  folders.reduce((sum, { bytes }) => sum + bytes, 0);

/** The volume that takes the folders, in a sentence. */
const placeOf = ({ disk, steps, step }: Pick<InRoute<'move-folders'>, 'disk' | 'steps' | 'step'>): string =>
  findPartition(disk, step.into)
    ? nameInSentence(findPartition(disk, step.into)!)
    : nameMade(steps, step.into);

export const moveFolders: VerbModule<'move-folders'> = {
  step: MoveFoldersStep,
  intents: { 'move-folders': MoveFoldersIntent },
  name: 'Move folders',
  resolve({ terms, kit, layout }, intent) {
    const subject = subjectOf({ terms, kit, layout }, intent.partition);
    if (!subject.ok) return subject;
    const { partition, who, used } = subject.value;
    const bytes = sumOf(intent.folders);
    const room = roomIn(terms.disk, layout, intent.into);
    if (!room || intent.into === intent.partition)
      return refused('Folders move to another volume whose free space is known.');
    if (bytes > room.free)
      return refused(`${formatSize(bytes)} would move there, and ${formatSize(room.free)} are free.`);
    if (used === null || bytes > used)
      return refused(`${nameInSentence(partition)} does not hold ${formatSize(bytes)} that could move.`);
    const { verb, into, folders } = intent;
    return priced(
      { ...who, verb, into, folders, from: null, to: null, bytesCopied: bytes, exposedBytes: 0 },
      able(windowsAlone(kit), 'Only Windows gives folders of people another place.'),
    );
  },
  apply(disk, layout, { partition, into, folders }) {
    const bytes = sumOf(folders);
    if (!layout.partitions.some(({ number }) => number === into))
      return impossible(`there is no partition ${into} for them`);
    return success(usedBy(disk, usedBy(disk, layout, partition, -bytes), into, bytes));
  },
  intentOf: ({ verb, partition, into, folders }) => ({ verb, partition, into, folders }),
  /** Windows moves them back the same way. */
  opposite: ({ verb, partition, into, folders }, back) => ({
    intents: [{ verb, partition: back.numberNow(into), into: back.numberNow(partition), folders }],
  }),
  noReturn: () => null,
  why: (told) =>
    `${capitalise(placeOf(told))} is there for what people keep: with these folders there ${stepPartition(told.disk, told.steps, told.step)} has ${formatSize(told.step.bytesCopied)} more free, and keeps its size.`,
  object: ({ folders, bytesCopied }) =>
    `${folders.length === 1 ? '1 folder' : `${folders.length} folders`}, ${formatSize(bytesCopied)}`,
  line: ({ folders }, _disk, name) => `Move ${folders.length} folders from ${name}`,
  figures: ({ step }) =>
    step.folders.map(({ path, bytes }) => ({ label: takeFirstCharacters(path, 200), bytes })),
  words(told) {
    const name = stepPartition(told.disk, told.steps, told.step);
    const place = placeOf(told);
    const bytes = formatSize(told.step.bytesCopied);
    return {
      title: `Move folders from ${name} to ${place}, ${bytes}`,
      do: [
        `In Windows, as the owner of each: the folder’s properties, Location, Move; choose a new folder on ${place}, and let Windows move what is in it.`,
        'Windows remembers the new place itself, so programs go on finding it. Wait for each until it says that it is done.',
      ],
      expected: `${capitalise(name)} has about ${bytes} more free. A few files of each folder open from their new place.`,
      ifNot: [
        'A file is in use: close the program, or move that folder after a restart.',
        'What was left behind is moved by hand once it is free; nothing is lost by that.',
        SURVEY_AGAIN,
      ],
      ifInterrupted:
        'A folder may lie partly here and partly there. Nothing is lost: move it once more, and let what is there already be.',
    };
  },
  /** Each person’s own session does it: there is no line for another’s folders. */
  script: () => null,
};
