import { lstat } from 'node:fs/promises';
import { filesOf } from '../../executor/openDisk';
import { isPlain } from './openPlain';

/**
 * The files of an image, all of them plain ones of one name: a link could lead out of the folder. null: one is not
 * there, or is none.
 */
export async function plainFilesOf(path: string): Promise<string[] | null> {
  const fits = async (one: string): Promise<boolean> => {
    const stat = await lstat(one).catch(() => null);
    return stat !== null && isPlain(stat);
  };
  if (!(await fits(path))) return null;
  const files = await filesOf(path);
  for (const one of files) if (!(await fits(one))) return null;
  return files;
}
