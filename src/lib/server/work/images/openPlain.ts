import { constants, type Stats } from 'node:fs';
import { open, type FileHandle } from 'node:fs/promises';

/**
 * Something else than a plain file lies there by now: a pipe, a device, a folder, or a file that has a second name
 * elsewhere.
 */
export class NotPlain extends Error {
  readonly code = 'NOTPLAIN';
}

/** Whether a file is one that the folder of images has for itself: another name of it could lie anywhere. */
export const isPlain = (stat: Stats): boolean => stat.isFile() && stat.nlink === 1;

/**
 * Opens a plain file. It is opened without waiting, and looked at then: whoever opens a pipe waits for a writer, with
 * one of the few threads that all files are read by.
 * @throws NotPlain, or the system's error, `ELOOP` for a symbolic link
 */
export async function openPlain(path: string): Promise<{ file: FileHandle; stat: Stats }> {
  const file = await open(path, constants.O_RDONLY | constants.O_NOFOLLOW | constants.O_NONBLOCK);
  try {
    const stat = await file.stat();
    if (isPlain(stat)) return { file, stat };
    throw new NotPlain(`${path} is no plain file`);
  } catch (error) {
    await file.close();
    throw error;
  }
}
