import { FILE_SYSTEM_NAME, sentenceName } from '../disk';
import { isConvertible } from '../planning';
import { canConvert, conversionRoom } from '../tools';
import { formatSize } from '../units';
import type { Ask, WayOut } from './wayOut';

/** The target's FAT made NTFS, which Windows extends; null: it is no FAT. */
export function convertedVolume({ task: { disk, target } }: Ask): WayOut | null {
  if (!canConvert(target)) return null;
  const name = sentenceName(target);
  return {
    code: 'convert-volume',
    title: `Convert ${name} to NTFS`,
    detail: `Windows extends no ${FILE_SYSTEM_NAME[target.volume!.fileSystem]}, but converts it where it is, with its files. There is no way back.`,
    reason: isConvertible(disk, target)
      ? ''
      : `That needs ${formatSize(conversionRoom(disk, target))} free in it.`,
    allows: { mayConvert: true },
  };
}
