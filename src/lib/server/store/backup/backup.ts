import { rm, stat, statfs } from 'node:fs/promises';
import { dirname, join } from 'node:path';
import { formatSize } from '$core/units';
import type { Config } from '../../platform/settings/config';
import {
  DUMP,
  listImageNames,
  KEY,
  pack,
  partOf,
  placesOf,
  listTlsParts,
  type BackupManifest,
} from './archive';
import { dumpInto, loadDump } from './dump';
import { inspect, type Inspected } from './inspect';
import { cutShort, markOf } from './mark';
import { makeUrlBeside, databaseName, emptied, oddObject, findScratchProblem } from './scratch';
import { sealManifest } from './seal';
import { stage } from './staging';

/** Sources of a backup, and its progress. */
export interface From {
  config: Config;
  /** The database, by an account that may read all of it and use the scratch database. */
  url: string;
  tell: (words: string) => void;
  signal?: AbortSignal | undefined;
}

/** Bytes that are left free beside a backup. */
const KEPT_FREE = 256 * 1024 * 1024;

/** The scratch database, by the account that is for it where there is one. */
export const scratchOf = ({ scratchUrl, scratchDatabase }: Config, url: string): string =>
  scratchUrl?.href ?? makeUrlBeside(url, scratchDatabase ?? `${databaseName(url)}_scratch`);

/**
 * Restores a dump into the scratch database and looks at all of it; nothing stays there.
 * @param also what is done with it before it goes @throws Error with a sentence
 */
export async function restoreToScratch(
  dump: string,
  { config, url, signal }: From,
  also: (scratch: string) => Promise<void> = () => Promise.resolve(),
): Promise<Inspected> {
  const scratch = scratchOf(config, url);
  const wrong = await findScratchProblem(scratch);
  if (wrong) throw new Error(wrong);
  await emptied(scratch);
  try {
    await loadDump(dump, scratch, signal);
    const odd = await oddObject(scratch);
    if (odd) throw new Error(`The database in it has a ${odd}, which no backup has.`);
    const inspected = await inspect(scratch);
    await also(scratch);
    return inspected;
  } finally {
    await emptied(scratch);
  }
}

/**
 * Makes a backup of the workshop: database, key, authority and images. The dump is of one instant; it is restored into
 * the scratch database and looked at before the backup gets its name.
 * @throws Error with a sentence; then there is no file
 */
export async function makeBackup(path: string, from: From): Promise<BackupManifest> {
  const { config, url, tell, signal } = from;
  const cut = await markOf(url);
  if (cut) throw new Error(cutShort(cut));
  const staging = await stage(dirname(path)).catch((error: Error) => {
    throw new Error(`Nothing can be written beside ${path}: ${error.message}`);
  });
  const dump = join(staging, DUMP);
  const place = placesOf(config);
  const at = (name: string): string => (name === DUMP ? dump : place(name));
  try {
    const images = (await listImageNames(config.images)).map((name) => `images/${name}`);
    await hasRoom(path, images.map(place));
    tell('The database is dumped …');
    await dumpInto(dump, url, signal);
    tell('The dump is restored into the scratch database, and looked at …');
    const { migration, rows, broken } = await restoreToScratch(dump, from);
    if (broken.length > 0)
      tell(
        `Careful: the history of ${broken.length === 1 ? 'job' : 'jobs'} ${broken.slice(0, 10).join(', ')} does not hold by this bench’s key. The backup has it as it is.`,
      );
    const names = [DUMP, KEY, ...listTlsParts(place), ...images];
    const parts = [];
    for (const name of names) {
      if (name.startsWith('images/')) tell(`${name} is read …`);
      parts.push(await partOf(at(name), name));
      signal?.throwIfAborted();
    }
    const manifest = sealManifest(config, {
      kind: 'gentle-tide/backup',
      format: 2,
      at: new Date().toISOString(),
      migration,
      rows,
      parts,
    });
    tell('The backup is written …');
    await pack(path, manifest, at, signal);
    return manifest;
  } finally {
    await rm(staging, { recursive: true, force: true });
  }
}

async function hasRoom(path: string, images: readonly string[]): Promise<void> {
  const { bavail, bsize } = await statfs(dirname(path));
  const sizes = await Promise.all(images.map(async (image) => (await stat(image)).blocks * 512));
  const needed = sizes.reduce((sum, bytes) => sum + bytes, KEPT_FREE);
  if (bavail * bsize < needed)
    throw new Error(
      `There is no room for a backup beside ${path}: ${formatSize(needed)} are needed, ${formatSize(bavail * bsize)} are free. Nothing was written.`,
    );
}
