import { chmodSync, existsSync, mkdirSync, mkdtempSync, readdirSync, rmSync, statfsSync } from 'node:fs';
import { join, resolve } from 'node:path';
import { runs } from '../processes.mjs';

const MEMORY = '/dev/shm';
/** Bytes that a check may fill. */
const ROOM = 6 * 2 ** 30;
const NAME = 'gentle-tide-check-';

/**
 * Folder of everything that tests write and throw away: databases, journals, images, temporary files. It is in memory
 * where the system has enough, since tests flush small files thousands of times; what flushing is for is proved by
 * cutting, not by the disk of this machine. Folders of checks that were killed are removed.
 *
 * @returns {{ folder: string, env: { TMPDIR: string, GENTLE_TIDE_DATA: string }, remove: () => void }}
 */
export function makeScratch() {
  const root = hasRoom(MEMORY) ? MEMORY : resolve('.local');
  for (const name of readdirSync(root).filter((entry) => entry.startsWith(NAME)))
    if (!runs(parseInt(name.slice(NAME.length)), 'check')) remove(join(root, name));
  const folder = mkdtempSync(join(root, `${NAME}${process.pid}-`));
  const [temporary, data] = [join(folder, 'temporary'), join(folder, 'data')];
  for (const path of [temporary, data]) mkdirSync(path);
  // The database has a user of its own, who comes to its folder and writes temporary files.
  chmodSync(folder, 0o711);
  chmodSync(temporary, 0o1777);
  return {
    folder,
    env: { TMPDIR: temporary, GENTLE_TIDE_DATA: data },
    remove: () => remove(folder),
  };
}

/** @param {string} folder */
function hasRoom(folder) {
  if (!existsSync(folder)) return false;
  const { bavail, bsize } = statfsSync(folder);
  return bavail * bsize >= ROOM;
}

/** Removes a folder; one in which something is still mounted stays. @param {string} folder */
function remove(folder) {
  try {
    rmSync(folder, { recursive: true, force: true });
  } catch (error) {
    console.error(`${folder} stays: ${/** @type {Error} */ (error).message}`);
  }
}
