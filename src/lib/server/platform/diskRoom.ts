import { statfs } from 'node:fs/promises';
import { dirname } from 'node:path';

/** Bytes free where a folder lies, or would lie; null where that can't be told. */
export async function freeBytes(folder: string): Promise<number | null> {
  for (let at = folder; ; at = dirname(at)) {
    try {
      const { bavail, bsize } = await statfs(at);
      return bavail * bsize;
    } catch {
      if (dirname(at) === at) return null;
    }
  }
}
