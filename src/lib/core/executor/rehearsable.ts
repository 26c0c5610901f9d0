import { nameInSentence, type Disk } from '../disk';
import type { Step, StepOf } from '../steps';

const RESIZED: ReadonlySet<string> = new Set(['ntfs', 'fat16', 'fat32', 'fat']);

/**
 * What the executor does not carry out so far, as part of a sentence; null: it does.
 *
 * @param fileSystem of the partition that the step is about; null: it is a frame of logical drives, or there is none
 */
export function explainNotExecuted(verb: Step['verb'], fileSystem: string | null): string | null {
  const resized = fileSystem === null || RESIZED.has(fileSystem);
  if (verb === 'convert-volume') return 'a volume is converted in place by Windows';
  if (verb === 'convert-table') return 'the partition table is converted in place by Windows';
  if (verb === 'make-table' || verb === 'clone' || verb === 'boot-check')
    return 'everything goes to another disk';
  if (verb === 'join') return 'files are copied into a folder of another volume';
  if (verb === 'move-folders') return 'folders of people move to another volume';
  if (verb === 'shrink' && !resized) return 'a volume is made smaller that is neither NTFS nor FAT';
  if (verb === 'extend' && !resized) return 'a volume is extended that is neither NTFS nor FAT';
  return null;
}

/** The numbers of encrypted volumes that Windows works on as they are, unlocked: a stand-in has them in the clear. */
export const playedUnlocked = (disk: Disk, steps: readonly Step[]): Set<number> =>
  new Set(
    disk.partitions
      .filter(({ volume }) => volume !== null && volume.encryption.state !== 'off')
      .filter(({ number }) => steps.some((step) => step.partition === number && WITHIN.has(step.verb)))
      .map(({ number }) => number),
  );

/** Steps for which the file system has to be read. */
const WITHIN: ReadonlySet<Step['verb']> = new Set(['decrypt', 'shrink', 'extend', 'copy']);

/** Differences between a stand-in's steps and the route's, in sentences. */
export function listPlayedOtherwise(disk: Disk, steps: readonly Step[]): string[] {
  const told: string[] = [];
  const names = [...playedUnlocked(disk, steps)].map((number) =>
    nameInSentence(disk.partitions.find((one) => one.number === number)!),
  );
  if (names.length > 0)
    told.push(
      `Encryption is not played: the stand-in has ${names.join(' and ')} in the clear, as Windows sees it unlocked.`,
    );
  if (steps.some(({ verb }) => verb === 'copy'))
    told.push(
      'On the stand-in a copy is a clone of what is in use; the work sheet has Windows copy file by file.',
    );
  return told;
}

/** Why a route can't be run on a stand-in of its disk, in a sentence; null: it can. */
export function explainNotRehearsed(disk: Disk, steps: readonly Step[]): string | null {
  const open = playedUnlocked(disk, steps);
  for (const step of steps) {
    const { verb, partition: number } = step;
    const partition = disk.partitions.find((one) => one.number === number);
    const volume = partition?.volume ?? null;
    const unlocked = number !== null && open.has(number);
    const fileSystem = volume?.fileSystem === 'encrypted' && unlocked ? 'ntfs' : (volume?.fileSystem ?? null);
    const not = explainNotExecuted(verb, partition?.kind === 'extended' ? null : (fileSystem ?? 'unknown'));
    if (not) return `In it ${not}, which is not rehearsed so far.`;
    if (step.verb === 'create' && !MADE.has(step.create.fileSystem))
      return `In it a new volume with ${step.create.fileSystem.toUpperCase()} is made, which is not rehearsed so far.`;
    if (!partition || !volume) continue;
    const name = nameInSentence(partition);
    if (step.verb === 'copy' && volume.fileSystem === 'exfat' && goesSmaller(disk, steps, step))
      return `${name} is copied into a smaller volume; exFAT is rehearsed only where it stays as large.`;
    if (volume.encryption.state !== 'off' && !unlocked && verb !== 'delete')
      return `${name} is encrypted, and the route moves it as it is; only what Windows itself works on is rehearsed.`;
    if (volume.used === null && fileSystem !== 'unknown' && fileSystem !== 'refs' && verb !== 'delete')
      return `How much of ${name} is in use is not known, so no stand-in can be made of it. Survey it again.`;
  }
  return null;
}

const MADE: ReadonlySet<string> = new Set(['ntfs', 'fat32', 'fat16', 'exfat', 'unknown']);

/** Whether the volume that takes a copy is smaller than the partition that it comes from. */
function goesSmaller(disk: Disk, steps: readonly Step[], copy: StepOf<'copy'>): boolean {
  const source = 'fromOutside' in copy ? copy.of : copy.partition;
  const back = steps.find((one) => one.verb === 'copy' && 'fromOutside' in one && one.of === source);
  const into =
    'into' in copy && 'partition' in copy.into ? copy.into.partition : (back?.partition ?? copy.partition);
  const made = steps.find((one) => one.verb === 'create' && one.partition === into);
  const from = disk.partitions.find((one) => one.number === source);
  return made?.verb === 'create' && from !== undefined && made.to.sectors < from.sectors;
}
