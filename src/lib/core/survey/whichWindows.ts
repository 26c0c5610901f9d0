import { bytesOf, isDataType, type Disk, type Partition, type PartitionRole } from '../disk';
import { GIB } from '../units';
import type { SurveyDocument } from './document';
import type { Machine, Place } from './machine';
import { boundNotes } from './notes';

/** A partition somewhere on a machine. */
interface Placed {
  disk: Disk;
  partition: Partition;
}

/** Signs in a machine's volumes, taken together, of what starts it. */
export interface Whereabouts {
  /** Partitions that get a role by it; the others keep theirs. */
  roles: Map<Partition, PartitionRole>;
  /** Volumes of which one is probably Windows, and nothing says which; none where it is clear. */
  doubt: Placed[];
}

/**
 * No Windows since 2009 is installed on less than 16 GiB; what only starts one has a few hundred MiB, at most some GiB.
 */
const WINDOWS_LEAST = 8 * GIB;
const LABEL = /\bwindows\b|^(os|win ?(7|8|10|11|xp|vista))$/i;

/**
 * Which volume is Windows where no letter and no word of the survey says it, and which active one only starts it. An
 * active flag alone decides nothing: on older installs it is on C: itself. Where more than one may be it, none is
 * chosen.
 *
 * @param given the roles that the survey itself gives
 */
export function locateWindows(disks: readonly Disk[], given: ReadonlySet<Partition>): Whereabouts {
  const all = disks.flatMap((disk) => disk.partitions.map((partition) => ({ disk, partition })));
  const told = all.some(({ partition }) => partition.letter !== null || partition.role === 'windows');
  const open = all.filter(({ partition }) => !given.has(partition) && partition.role === 'data');
  const { windows, doubt } = told ? { windows: null, doubt: [] } : choose(open, disks);
  const roles = new Map<Partition, PartitionRole>();
  if (windows) roles.set(windows.partition, 'windows');
  for (const one of open) {
    const { active, letter } = one.partition;
    const small = bytesOf(one.disk, one.partition) < WINDOWS_LEAST;
    if (active && letter === null && small && one !== windows) roles.set(one.partition, 'system');
  }
  return { roles, doubt };
}

function choose(
  open: readonly Placed[],
  disks: readonly Disk[],
): { windows: Placed | null; doubt: Placed[] } {
  const may = open.filter(
    ({ partition: { volume, type, kind } }) =>
      kind !== 'extended' &&
      isDataType(type) &&
      (volume?.fileSystem === 'ntfs' || volume?.fileSystem === 'encrypted'),
  );
  const starts = disks.filter((disk) => disk.partitions.some(({ role }) => role === 'efi'));
  const large = ({ disk, partition }: Placed) => bytesOf(disk, partition) >= WINDOWS_LEAST;
  // From what says most to what says least; a sign that none bears says nothing.
  const signs: ((one: Placed) => boolean)[] = [
    large,
    (one) => large(one) || !one.partition.active,
    ({ disk }) => starts.includes(disk),
    ({ partition }) => partition.active,
    ({ partition }) => LABEL.test(partition.volume?.label ?? ''),
  ];
  let left = may;
  for (const sign of signs) {
    const bearing = left.filter(sign);
    if (bearing.length > 0) left = bearing;
  }
  if (left.length <= 1) return { windows: left[0] ?? null, doubt: [] };
  return { windows: null, doubt: left };
}

/** Beginning of the note that a survey carries as long as nobody has said it. */
const NOT_KNOWN = 'Which volume is Windows is not known';

/**
 * The survey with somebody's word on which of the volumes in doubt is Windows; null: none of them. Those that are not
 * it are data.
 */
export function withWindowsNamed(
  survey: SurveyDocument,
  doubt: Machine['windowsInDoubt'],
  windows: Place | null,
): SurveyDocument {
  const isAt = (one: Place | null, disk: number, partition: number) =>
    one?.disk === disk && one.partition === partition;
  const said = windows
    ? `Partition ${windows.partition} on disk ${windows.disk} was named as the Windows volume by hand.`
    : 'That none of the volumes is Windows was said by hand.';
  return {
    ...survey,
    disks: survey.disks.map((disk) => ({
      ...disk,
      partitions: disk.partitions.map((partition) =>
        doubt.some((one) => isAt(one, disk.number, partition.number))
          ? { ...partition, role: isAt(windows, disk.number, partition.number) ? 'windows' : 'data' }
          : partition,
      ),
    })),
    notes: boundNotes([...(survey.notes ?? []).filter((note) => !note.startsWith(NOT_KNOWN)), said]),
  };
}

/** Note of a survey's reader on a Windows volume that was found without a letter, or not found. */
export function noteWindows(machine: Machine, because: string): string[] {
  const { windowsInDoubt, windowsGuessed } = machine;
  if (windowsInDoubt.length > 0) {
    const numbers = windowsInDoubt.map(({ disk, partition }) => placeOf(machine, disk, partition));
    return [`${NOT_KNOWN}: ${because}, and ${list(numbers)} may all be it. Name it on the Survey screen.`];
  }
  if (windowsGuessed === null) return [];
  const { disk, partition } = windowsGuessed;
  const place = placeOf(machine, disk, partition);
  return [
    `${place[0]!.toUpperCase()}${place.slice(1)} is taken for the Windows volume: ${because}, and it is the one that looks like it. Choose another target if it is not.`,
  ];
}

const placeOf = (machine: Machine, disk: number, partition: number): string =>
  machine.disks.length > 1 ? `partition ${partition} on disk ${disk}` : `partition ${partition}`;

const list = (words: readonly string[]): string =>
  words.length < 2 ? words.join('') : `${words.slice(0, -1).join(', ')} and ${words.at(-1)}`;
