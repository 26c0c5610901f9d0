import { lstat } from 'node:fs/promises';
import { filesOf } from '../bench/openDisk';

/** The files of an image, all of them plain ones: a link could lead out of the folder. null: one is not there, or is none. */
export async function plainFilesOf(path: string): Promise<string[] | null> {
  const isPlain = async (one: string) => (await lstat(one).catch(() => null))?.isFile() === true;
  if (!(await isPlain(path))) return null;
  const files = await filesOf(path);
  for (const one of files) if (!(await isPlain(one))) return null;
  return files;
}
