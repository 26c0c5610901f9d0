import { Type, type Static } from 'typebox';
import { plainName, nameInSentence, type Partition } from '../disk';
import { success, type Outcome } from '../problem';
import { selectAllTools, isEncrypted, marginOf } from '../tools';
import { formatSize } from '../units';
import { closed, Name, PartitionNumber } from '../shapes';
import { takeFirstCharacters } from '../wellFormed';
import { priced, refused, subjectOf, type Subject } from './abilities';
import { findCopiers } from './copy';
import { impossible, partitionAt, type Layout } from './layout';
import { capitalise, formatExactSize, findPartition, stepPartition, SURVEY_AGAIN } from './names';
import { askFolder, copyRun, needsLetter, rootOf } from './powershell/copyLines';
import { scriptExpectation, guard, stop } from './powershell/guard';
import { nameInScript } from './powershell/names';
import { quoteLiteral } from './powershell/quote';
import { roomIn, usedBy } from './room';
import { INSIDE, type PricedStep } from './step';
import type { StepContext, OnSheet, VerbModule } from './verb';

/** A folder at the top of a volume: one name that Windows takes, so that it is nowhere else. */
const Folder = Type.String({
  minLength: 1,
  maxLength: 100,
  pattern: '^[^<>:"/\\\\|?*\\u0000-\\u001F]*[^<>:"/\\\\|?*\\u0000-\\u001F .]$',
});
/**
 * The files of a data volume go into a new folder of another volume, from where they are or from an outside place;
 * `of`: the volume as found that they were in.
 */
const JoinStep = Type.Union([
  closed({ ...INSIDE, verb: Type.Literal('join'), into: PartitionNumber, folder: Folder }),
  closed({ ...INSIDE, verb: Type.Literal('join'), fromOutside: Name, of: PartitionNumber, folder: Folder }),
]);
export type JoinStep = Static<typeof JoinStep>;
const INTENTS = {
  join: closed({
    verb: Type.Literal('join'),
    partition: PartitionNumber,
    into: PartitionNumber,
    folder: Folder,
  }),
  'join-back': closed({
    verb: Type.Literal('join-back'),
    partition: PartitionNumber,
    of: PartitionNumber,
    fromOutside: Name,
    folder: Folder,
  }),
};
export type JoinIntent = Static<(typeof INTENTS)[keyof typeof INTENTS]>;

/** Letters that Windows allows in the name of a folder. */
const NOT_IN_NAMES = /[<>:"/\\|?*\p{Cc}]/gu;

/** Name of the folder that takes a volume's files: after it and the letter that it had. */
export function nameFolder({ letter, number, volume }: Partition): string {
  const label = (volume?.label ?? '')
    .replace(NOT_IN_NAMES, ' ')
    .replace(/\s+/g, ' ')
    .replace(/[ .]+$/, '')
    .trim();
  const was = letter ? `was ${letter}` : `was partition ${number}`;
  return label ? `${takeFirstCharacters(label, 40)} (${was})` : `Files (${was})`;
}

/**
 * Bytes that must be free in a volume which takes those files: as many, and 1 GiB or 5 % of them, so that it goes on
 * working.
 */
export const joinRoom = (used: number): number => used + marginOf({ size: Infinity }, used);

/** Why files of a volume can't go into another one, in a sentence. */
function noPlaceIn(
  { terms, layout }: StepContext,
  source: Partition,
  used: number,
  into: number,
): string | null {
  const room = roomIn(terms.disk, layout, into);
  if (!room) return `There is no partition ${into} here whose free space is known.`;
  const name = nameInSentence(room.partition);
  if (into === source.number) return `${name} can’t be joined to itself.`;
  if (room.partition.volume?.fileSystem !== 'ntfs')
    return `${name} is not NTFS: permissions and large files of others would be lost in it.`;
  const need = joinRoom(used);
  return room.free >= need
    ? null
    : `The files of ${nameInSentence(source)} need ${formatSize(need)} free in ${name}, and there are ${formatSize(room.free)}.`;
}

const STILL = { from: null, to: null, exposedBytes: 0, verb: 'join' } as const;

function straight(
  ground: StepContext,
  { into, folder }: Extract<JoinIntent, { verb: 'join' }>,
  { who, partition, decrypted, used }: Subject,
): Outcome<PricedStep> {
  const { terms, kit } = ground;
  if (!terms.mayJoin.has(partition.number))
    return refused(`Joining ${nameInSentence(partition)} to another volume is not allowed for this goal.`);
  if (terms.fixed.has(into)) return refused('What is kept fixed takes no files of others.');
  const why =
    used === null
      ? `What ${nameInSentence(partition)} holds is not known.`
      : noPlaceIn(ground, partition, used, into);
  if (why) return refused(why);
  return priced(
    { ...who, ...STILL, into, folder, bytesCopied: used! },
    findCopiers(kit, partition, decrypted),
  );
}

function fromOutside(
  ground: StepContext,
  { of, fromOutside: place, folder }: Extract<JoinIntent, { verb: 'join-back' }>,
  { who, partition }: Subject,
): Outcome<PricedStep> {
  const { terms, kit, layout } = ground;
  const source = findPartition(terms.disk, of);
  const used = source?.volume?.used;
  if (!source || used == null) return refused(`What partition ${of} held is not known.`);
  if (!terms.mayJoin.has(of))
    return refused(`Joining ${nameInSentence(source)} to another volume is not allowed for this goal.`);
  if (!layout.copied.includes(of) || !layout.outside.has(place))
    return refused(`The files of ${nameInSentence(source)} do not lie at ${place} yet.`);
  const why = noPlaceIn(ground, source, used, partition.number);
  if (why) return refused(why);
  return priced(
    { ...who, ...STILL, fromOutside: place, of, folder, bytesCopied: used },
    success(selectAllTools(kit)),
  );
}

/** The number of the volume that takes the files, and of the one as found that they were in. */
const sidesOf = (step: JoinStep): { into: number; of: number } =>
  'into' in step ? { into: step.into, of: step.partition } : { into: step.partition, of: step.of };

export const join: VerbModule<'join'> = {
  step: JoinStep,
  intents: INTENTS,
  name: 'Join',
  resolve(ground, intent) {
    const subject = subjectOf(ground, intent.partition);
    if (!subject.ok) return subject;
    return intent.verb === 'join'
      ? straight(ground, intent, subject.value)
      : fromOutside(ground, intent, subject.value);
  },
  apply(disk, layout, step) {
    const { into, of } = sidesOf(step);
    if (!layout.partitions.some(({ number }) => number === into))
      return impossible(`there is no partition ${into} for the files`);
    const filled: Layout = {
      ...usedBy(disk, layout, into, step.bytesCopied),
      holds: new Map([...layout.holds, [of, into]]),
    };
    if (!('into' in step)) return success(filled);
    const found = partitionAt(layout, step.partition);
    return found.ok ? success({ ...filled, copied: [...layout.copied, step.partition] }) : found;
  },
  intentOf: (step) =>
    'into' in step
      ? { verb: 'join', partition: step.partition, into: step.into, folder: step.folder }
      : {
          verb: 'join-back',
          partition: step.partition,
          of: step.of,
          fromOutside: step.fromOutside,
          folder: step.folder,
        },
  /** Its source is untouched. */
  opposite: ({ folder }) => ({ lost: [`The folder “${folder}” stays until somebody deletes it.`] }),
  noReturn: () => null,
  why({ disk, steps, step }) {
    const { into, of } = sidesOf(step);
    const [source, target] = [findPartition(disk, of), findPartition(disk, into)];
    const from = source ? nameInSentence(source) : stepPartition(disk, steps, step);
    const to = target ? nameInSentence(target) : 'the other volume';
    return `The files of ${from} go into a folder of ${to}, so that two volumes become one and the room of both is in one place.`;
  },
  object(step, disk) {
    const { into, of } = sidesOf(step);
    const [source, target] = [findPartition(disk, of), findPartition(disk, into)];
    return `${source ? plainName(source) : of} to ${target ? plainName(target) : into}`;
  },
  line: ({ folder }, _disk, name) => `Copy the files of ${name} into the folder ${folder}`,
  figures: ({ step }) => [{ label: 'Files to copy', bytes: step.bytesCopied }],
  words(told) {
    const { disk, step } = told;
    const { into, of } = sidesOf(step);
    const [source, target] = [findPartition(disk, of), findPartition(disk, into)];
    const to = target ? nameInSentence(target) : `partition ${into}`;
    const were = source ? nameInSentence(source) : `partition ${of}`;
    const from = 'into' in step ? were : `${step.fromOutside}, those of ${were},`;
    return {
      title: `Copy the files of ${were} into a folder of ${to}`,
      do: [
        `Make the folder “${step.folder}” at the top of ${to}. It must not be there already.`,
        `Copy every file and folder from ${from} into it, hidden ones, times and permissions included.`,
        'Programs that use these files stay closed until the copy is proved. A page file, a search index or a backup that lies there is set up anew on the other volume by Windows or its program, not copied.',
      ],
      expected: `The folder holds ${formatExactSize(step.bytesCopied, disk.sectorSize)} of files, and as many of them as the source.`,
      ifNot: [
        'Counts or sizes differ: delete nothing. Copy again what is missing; a file that can’t be read is told to the owner.',
        SURVEY_AGAIN,
      ],
      ifInterrupted: 'The source is untouched. Copy again; what is there already is left as it is.',
    };
  },
  script: linesOf,
};

function linesOf(told: OnSheet<'join'>): string[] | null {
  const { disk, step, before, diskBytes } = told;
  const { into } = sidesOf(step);
  const to = before.partitions.find(({ number }) => number === into);
  if (!to) return null;
  const name = nameInScript(told, into);
  const folder = quoteLiteral(step.folder);
  const made = [
    needsLetter('to', name),
    `$folder = Join-Path ${rootOf('to')} ${folder}`,
    `if ((Test-Path -LiteralPath $folder) -and (Read-Host 'The folder is there already. Type go on only if it is from this sheet') -ne 'go on') { ${stop('there is such a folder already. Look into it first.')} }`,
    'New-Item -ItemType Directory -Force -Path $folder | Out-Null',
  ];
  if (!('into' in step)) {
    return [
      ...guard(disk, diskBytes, [scriptExpectation('to', name, disk, to)]),
      ...askFolder(step.fromOutside),
      ...made,
      ...copyRun('$place', '$folder'),
    ];
  }
  const from = before.partitions.find(({ number }) => number === step.partition);
  if (!from) return null;
  const source = nameInScript(told, step.partition);
  return [
    ...guard(disk, diskBytes, [
      scriptExpectation('from', source, disk, from),
      scriptExpectation('to', name, disk, to),
    ]),
    needsLetter('from', source),
    ...made,
    ...copyRun(rootOf('from'), '$folder'),
  ];
}

/** References to a volume that is joined to another, to be looked for: the letter goes with it. */
export const listJoinChecks = (source: Partition, folder: string, target: Partition): string[] => {
  const now = `${target.letter ? `${target.letter}:\\` : ''}${folder}`;
  const was = source.letter ? `${source.letter}:` : nameInSentence(source);
  const bare = isEncrypted(source) && !isEncrypted(target);
  return [
    `${capitalise(was)} is gone, and what it held lies in ${now}. Nothing tells Windows or a program so: look for all that names ${was}.`,
    'Folders of people (Documents, Pictures and so on) that had their place there: set their location anew in their properties.',
    'Shortcuts on the desktop, in the start menu and in the task bar; links and junctions, which a copy leaves out; libraries and network shares.',
    'Programs that were installed there, or keep their data there: their settings, services and scheduled tasks. Where one insists on the old letter, reinstall it, or give the folder that letter at every sign-in (subst).',
    'Backup and synchronising programs: have them watch the new folder before they take the old one for deleted.',
    'Where manifests of both volumes were made before, make one of the other volume now: the Proof screen finds every file by what it holds.',
    ...(bare
      ? [
          `${capitalise(was)} was encrypted, and ${nameInSentence(target)} is not: its files lie in the clear now. Ask the owner whether that is to be encrypted.`,
        ]
      : []),
  ];
};
