import { join, parse } from 'node:path';
import { MAX_IMAGE_NAME } from '$contract/imageName';
import { config } from './settings/config';

/** Folder of the disk images that the server may read and work on; servers on one database share it. */
export const getImagesFolder = (): string => config().images;

/** Bytes that a run's copy and its pieces add to a name. */
const MORE_BYTES = 40;

/** Beginning and end of the names of the server's own files there. */
export const PART = '.part';
const JOURNAL = '.journal';

/** A file's name in the folder: never a path, nothing hidden, nothing that the server keeps there for itself. */
export const isImageName = (name: string): boolean =>
  /^[^./\\\p{Cc}][^/\\\p{Cc}]*$/u.test(name) &&
  name.isWellFormed() &&
  Buffer.byteLength(name) <= MAX_IMAGE_NAME &&
  !name.endsWith(PART) &&
  !/\.journal(\.|$)/.test(name);

export const getImagePath = (name: string): string => join(getImagesFolder(), name);

/** The journal of a run on an image, beside it: whoever has both can go on, even without this program's database. */
export const journalOf = (path: string): string => `${path}${JOURNAL}`;

/** Name of the copy that a run works on; a long name is cut so that the rest has room. */
export function copyName(name: string, run: number): string {
  const { name: stem, ext } = parse(name);
  const shown = [...stem];
  while (Buffer.byteLength(shown.join('') + ext) > MAX_IMAGE_NAME - MORE_BYTES && shown.length > 1)
    shown.pop();
  return `${shown.join('')}.carried-out-${run}${ext}`;
}
