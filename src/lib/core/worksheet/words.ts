import { bytesOf, typeName, type Disk } from '../disk';
import { stepPartition, type Creation, type Step, type Tool } from '../planning';
import { formatMib, formatSize } from '../units';

/** What a sheet says of a step, in words that fit any tool of that kind. */
export interface StepWords {
  title: string;
  do: string[];
  see: string;
  ifNot: string[];
  /** What the disk is like if the step stops half-way. */
  midway: string;
}

export function wordsOf(disk: Disk, steps: readonly Step[], step: Step, tool: Tool): StepWords {
  const name = stepPartition(disk, steps, step);
  const exact = (bytes: number): string => `${formatSize(bytes)} (${formatMib(bytes)})`;
  const survey =
    'Otherwise stop here: tick the step as failed, and survey the disk again before anything else.';
  switch (step.verb) {
    case 'shrink':
      return {
        title: `Shrink ${name} by ${formatSize(bytesOf(disk, step.from) - bytesOf(disk, step.to))} at its right end`,
        do: [
          `Choose ${name} and make it smaller. Its start stays where it is: only the right end moves.`,
          'A tool asks either for the amount to give up or for the new size. Give it the one that it asks for, not the other.',
        ],
        see: `${name} has ${exact(bytesOf(disk, step.to))}, and the room that it gave lies unallocated directly behind it.`,
        ifNot: [
          'The new size is refused: files that can’t be moved lie too far back. Programs closed? Fast start off? Let the file check run, then try once more.',
          survey,
        ],
        midway: `The entry in the table is changed last: until then ${name} is as large as before, with its files closer together. Let a file check run, then survey the disk again.`,
      };
    case 'move':
      return moveWords(disk, step, name, exact, survey);
    case 'extend':
      return {
        title: `Extend ${name} by ${formatSize(bytesOf(disk, step.to) - bytesOf(disk, step.from))}`,
        do: [
          `Choose ${name} and make it larger, into the unallocated space that lies directly behind it.`,
          'A tool asks either for the amount to add or for the new total. Give it the one that it asks for, not the other.',
        ],
        see: `${name} has ${exact(bytesOf(disk, step.to))}. Its files are where they were.`,
        ifNot: [
          'The room is not offered: read the disk again in the tool. It must lie directly behind, on the same disk.',
          'The partition is larger, but the volume inside it is not: extend once more; nothing is lost by that.',
          survey,
        ],
        midway: `The partition may be larger already than the volume inside it. Nothing is lost: extend ${name} once more.`,
      };
    case 'delete':
      return {
        title: `Delete ${name}`,
        do: [
          `Compare start and size once more: what is deleted here is ${name} and nothing else.`,
          ...deleteNotes(disk, steps, step),
        ],
        see: `In the place of ${name} lies unallocated space.`,
        ifNot: [
          'Something else is gone: stop, write nothing to this disk, and restore from the image.',
          survey,
        ],
        midway: `A deletion is one entry in the table: ${name} is either still there or gone. Read the disk again.`,
      };
    case 'set-aside':
      return {
        title: `Set ${name} aside`,
        do: [
          'Switch the recovery environment off, in Windows. What it holds then lies on the Windows volume.',
          `Only then delete ${name}. Its type and attributes stand on this sheet: without them it can’t be made anew.`,
        ],
        see: `In the place of ${name} lies unallocated space; the recovery environment reports that it is disabled.`,
        ifNot: [
          'The recovery environment does not switch off: do not delete the partition. Stop here.',
          survey,
        ],
        midway: `The recovery environment is off, and ${name} is either still there or gone. Switch it on again if it is still there.`,
      };
    case 'put-back':
      return {
        title: `Put ${name} back`,
        do: [
          `Make a partition with exactly this start and size, format it, and give it the type and the attributes below.`,
          'Take off the letter that Windows gives it, then switch the recovery environment on.',
          ...attributeNotes(step.create),
        ],
        see: `The recovery environment reports that it is enabled, on ${name}, which has no letter.`,
        ifNot: [
          'It reports disabled: is the type exactly the one below? Is it formatted, with some 250 MiB free inside? Switch it on once more.',
          survey,
        ],
        midway:
          'The partition may be there without its type, or formatted without the environment. Delete it and do this step again from its beginning.',
      };
    case 'create':
      return {
        title: `Create ${name}, ${formatSize(bytesOf(disk, step.to))}`,
        do: [
          'Make a new volume with exactly this start and size, and format it as written below.',
          'A letter that Windows gives it is for the meantime only.',
        ],
        see: `${first(name)} is there, empty, with ${exact(bytesOf(disk, step.to))}.`,
        ifNot: [
          'It lies elsewhere or has another size: delete it, and make it again with the figures below.',
          survey,
        ],
        midway: 'Nothing else was touched. Delete what was made and do this step again.',
      };
    case 'copy':
      return copyWords(disk, step, name, exact, survey);
    case 'decrypt':
      return {
        title: `Decrypt ${name} fully`,
        do: [
          `Have the recovery key of ${name} at hand, then switch its encryption off in Windows. Suspending it is not enough.`,
          'It goes on in the background and takes long. The machine may be used meanwhile, and must stay on power.',
        ],
        see: `${name} reports that it is fully decrypted, 0 %.`,
        ifNot: [
          'It stands still at some percentage: is the machine on mains power? A restart lets it go on.',
          survey,
        ],
        midway:
          'Decryption can be interrupted: it goes on after the next start. Until it ends nothing else may be done to the volume.',
      };
    case 'relocate-table':
      return {
        title: 'Move the backup table to the end of the disk',
        do: [
          tool.id === 'windows'
            ? 'Windows mostly does this by itself when it reads the disk again.'
            : 'Let the tool repair the partition table; most do it, or offer it, when they read the disk.',
          'No partition changes.',
        ],
        see: 'The room up to the end of the disk counts as unallocated.',
        ifNot: [
          'The room does not show: read the disk again, or start the machine again, and look once more.',
          survey,
        ],
        midway: 'One valid copy of the table exists at every instant. Read the disk again.',
      };
    case 'enlarge-disk': {
      const total = step.diskSectors * disk.sectorSize;
      return {
        title: `Enlarge the virtual disk to ${formatSize(total)} in all`,
        do: [
          'Shut the machine down fully and power it off. Where it has snapshots or checkpoints, they are removed first: its disk can’t be enlarged with them.',
          `Where the virtual machine is managed, set the total of this disk to exactly ${formatMib(total)}. This is the new total, not the amount added (which is ${formatMib(total - disk.sectors * disk.sectorSize)}).`,
          'Start the machine again.',
        ],
        see: `The disk has ${exact(total)}; the new room lies at its end.`,
        ifNot: ['The disk still has its old size: was the machine off, not only suspended?', survey],
        midway: 'Partitions are not touched by this. Look what size the disk has now.',
      };
    }
  }
}

function moveWords(
  disk: Disk,
  step: Extract<Step, { verb: 'move' }>,
  name: string,
  exact: (bytes: number) => string,
  survey: string,
): StepWords {
  const right = step.to.first > step.from.first;
  const by = Math.abs(step.to.first - step.from.first) * disk.sectorSize;
  return {
    title: `Move ${name} ${right ? 'right' : 'left'} by ${formatSize(by)}`,
    do: [
      `Choose ${name} and move it as a whole to its new start. Its size stays exactly the same: compare it before you go on.`,
      'A tool asks for the new start, for the shift, or for the room left of it: all three stand below.',
      ...(step.repair ? [step.repair] : []),
    ],
    see: `${name} starts at ${formatMib(step.to.first * disk.sectorSize)} and still has ${exact(bytesOf(disk, step.to))}.`,
    ifNot: [
      'Its size has changed: take it back before the commit point, and enter the figures again.',
      survey,
    ],
    midway:
      step.exposedBytes > 0
        ? `${name} lies partly in its old and partly in its new place: only the same tool can finish it. Do not start Windows, let no check run. Start the tool again and let it resume; if it can’t, restore the image.`
        : `Old and new place do not overlap: the old one holds everything until the table changes at the very end. ${name} is whole, in one place or the other; survey the disk again.`,
  };
}

function copyWords(
  disk: Disk,
  step: Extract<Step, { verb: 'copy' }>,
  name: string,
  exact: (bytes: number) => string,
  survey: string,
): StepWords {
  const to =
    step.into === undefined
      ? name
      : 'outside' in step.into
        ? step.into.outside
        : 'the new volume that was made for it';
  const source = disk.partitions.find((one) => step.into === undefined && one.number === step.of);
  const from =
    step.into === undefined
      ? `${step.fromOutside}${source ? `, those of ${source.letter ?? source.number}` : ''}`
      : name;
  return {
    title:
      step.into === undefined ? `Copy the files back into ${name}` : `Copy the files of ${name} to ${to}`,
    do: [
      `Copy every file and folder from ${from} to ${to}, hidden ones, times and permissions included.`,
      'Programs that use these files stay closed until the copy is proved.',
    ],
    see: `${first(to)} holds ${exact(step.bytesCopied)} of files, and as many of them as the source.`,
    ifNot: [
      'Counts or sizes differ: delete nothing. Copy again what is missing; a file that can’t be read is told to the owner.',
      survey,
    ],
    midway: 'The source is untouched. Copy again; what is there already is left as it is.',
  };
}

/** What an old volume's deletion brings along: the new one takes its letter. */
function deleteNotes(disk: Disk, steps: readonly Step[], step: Extract<Step, { verb: 'delete' }>): string[] {
  const found = disk.partitions.find((one) => one.number === step.partition);
  const copied = steps.some(
    (one) => one.verb === 'copy' && one.into !== undefined && one.partition === step.partition,
  );
  if (!copied)
    return found?.role === 'data' ? ['The owner has given his word for this. Without it, stop.'] : [];
  const within = steps.some(
    (one) => one.verb === 'copy' && one.partition === step.partition && one.into && 'partition' in one.into,
  );
  return [
    'Open some files of the copy first, and compare counts and sizes: from here on the copy is all there is.',
    ...(within && found?.letter ? [`Afterwards the new volume takes the letter ${found.letter}:.`] : []),
  ];
}

/** Bit 0 can't be set by the storage cmdlets; that is said rather than left to be found out. */
const attributeNotes = ({ attributes }: Creation): string[] =>
  BigInt(attributes) & 1n
    ? [
        'The cmdlets of Windows set all of this but the lowest attribute bit (“required”). Recovery works without it; a tool that sets attributes can add it.',
      ]
    : [];

/** A name at the beginning of a sentence. */
const first = (name: string): string => name.charAt(0).toUpperCase() + name.slice(1);

/** What a partition must be made with, to be typed or compared. */
export function creationValues(disk: Disk, create: Creation): { label: string; text: string }[] {
  return [
    { label: 'Type', text: `${create.type} (${typeName(create.type)})` },
    ...(disk.table === 'gpt' ? [{ label: 'Attributes', text: create.attributes }] : []),
    ...(create.name ? [{ label: 'Name in the table', text: create.name }] : []),
    { label: 'File system', text: create.fileSystem.toUpperCase() },
    ...(create.clusterSize > 0 ? [{ label: 'Cluster size', text: formatSize(create.clusterSize) }] : []),
    ...(create.label ? [{ label: 'Label', text: create.label }] : []),
  ];
}
