import { sentenceName, type Disk } from '../disk';
import type { Step } from '../steps';

const RESIZED: ReadonlySet<string> = new Set(['ntfs', 'fat16', 'fat32', 'fat']);

/**
 * What the bench does not carry out so far, as part of a sentence; null: it does.
 *
 * @param fileSystem of the partition that the step is about; null: it is a frame of logical drives, or there is none
 */
export function notCarriedOut(verb: Step['verb'], fileSystem: string | null): string | null {
  const resized = fileSystem === null || RESIZED.has(fileSystem);
  if (verb === 'shrink' && !resized) return 'a volume is made smaller that is neither NTFS nor FAT';
  if (verb === 'extend' && !resized) return 'a volume is extended that is neither NTFS nor FAT';
  return null;
}

/** Why a route can't be run on a stand-in of its disk, in a sentence; null: it can. */
export function whyNotRehearsed(disk: Disk, steps: readonly Step[]): string | null {
  const decrypted = new Set<number>();
  for (const step of steps) {
    const { verb, partition: number } = step;
    const partition = disk.partitions.find((one) => one.number === number);
    const volume = partition?.volume ?? null;
    if (verb === 'decrypt' && number !== null) decrypted.add(number);
    const open = number !== null && decrypted.has(number);
    const fileSystem = volume?.fileSystem === 'encrypted' && open ? 'ntfs' : (volume?.fileSystem ?? null);
    const not = notCarriedOut(verb, partition?.kind === 'extended' ? null : (fileSystem ?? 'unknown'));
    if (not) return `In it ${not}, which is not rehearsed so far.`;
    if (!partition || !volume) continue;
    const name = sentenceName(partition);
    if (volume.encryption.state !== 'off' && !open)
      return `${name} is encrypted, and the route works on it as it is; only what is decrypted first is rehearsed.`;
    if (volume.used === null && fileSystem !== 'unknown' && fileSystem !== 'refs' && verb !== 'delete')
      return `How much of ${name} is in use is not known, so no stand-in can be made of it. Survey it again.`;
  }
  return null;
}
