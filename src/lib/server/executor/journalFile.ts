import { randomUUID } from 'node:crypto';
import type { Stats } from 'node:fs';
import { readFile, readlink, rm, stat } from 'node:fs/promises';
import { basename, dirname, join } from 'node:path';
import { readHead, Journal } from '$core/executor';
import { type Outcome, refusal, success } from '$core/problem';
import { placeDurably } from '../platform/durable';
import { findRemainsBeside } from './beside';
import { FileDevice } from './fileDevice';

const statOf = (path: string): Promise<Stats | null> => stat(path).catch(() => null);
const same = (a: Stats, b: Stats): boolean => a.dev === b.dev && a.ino === b.ino;
const NAME = 'the journal';

/**
 * Whether a new journal may lie there. Nothing is written.
 *
 * Problem codes: `no-folder`, `journal-inside` (it would lie on the disk that is worked on), `begun`, `not-a-journal`,
 * `remains` (the journal of a run was removed, and what belongs to it was not).
 * @param images the files of the disk that is worked on
 */
export async function mayBegin(path: string, images: readonly string[]): Promise<Outcome<null>> {
  const folder = await statOf(dirname(path));
  if (!folder?.isDirectory())
    return refusal('no-folder', `There is no folder ${dirname(path)} for the journal. Nothing was begun.`);
  const inside = await insideOf(path, images);
  if (!inside.ok) return inside;
  const there = await statOf(path);
  if (there) {
    const journal = there.isFile() && (await reading(path, readHead)).ok;
    return journal
      ? refusal(
          'begun',
          `There is a journal already (${path}): a run was begun. Go on with it, or take its step back.`,
        )
      : refusal(
          'not-a-journal',
          `${path} is there already, and is no journal. Choose another name. Nothing was begun.`,
        );
  }
  const remains = await findRemainsBeside(path);
  if (remains.length > 0)
    return refusal(
      'remains',
      `A run was begun with a journal at ${path}, which is not there any more: ${remains.join(', ')} is left of it. Bring the journal back and go on with it. Only where the disk was restored since, remove what is left.`,
    );
  return success(null);
}

/** A new file for a journal: it gets its name only once it is whole, and never that of another file. */
export class NewJournal {
  private constructor(
    readonly device: FileDevice,
    private readonly fresh: string,
    private readonly path: string,
  ) {}

  static async make(path: string): Promise<NewJournal> {
    const fresh = join(dirname(path), `.${basename(path)}.${randomUUID().slice(0, 8)}.part`);
    return new NewJournal(await FileDevice.open(fresh, { create: true, name: NAME }), fresh, path);
  }

  /** From here on there is a run that can be gone on with. */
  async place(): Promise<void> {
    await placeDurably(this.fresh, this.path, { over: false });
  }

  /** Its first name is needed no more; where it got no other, nothing is left. */
  drop(): Promise<void> {
    return rm(this.fresh, { force: true });
  }
}

/**
 * Opens the journal of a run that was begun. A file that is no journal is not opened for writing.
 *
 * Problem codes: `no-journal`, `journal-inside`, those of `Journal.open`.
 */
export async function openJournal(path: string, images: readonly string[]): Promise<Outcome<FileDevice>> {
  const there = await statOf(path);
  if (!there?.isFile())
    return refusal(
      'no-journal',
      `There is no journal at ${path}, so there is nothing to go on with. Nothing was written.`,
    );
  const inside = await insideOf(path, images);
  if (!inside.ok) return inside;
  const sound = await reading(path, (device) => Journal.open(device));
  if (!sound.ok) return sound;
  return success(await FileDevice.open(path, { name: NAME }));
}

async function reading<T>(
  path: string,
  read: (device: FileDevice) => Promise<Outcome<T>>,
): Promise<Outcome<T>> {
  const device = await FileDevice.open(path, { write: false, name: NAME });
  try {
    return await read(device);
  } finally {
    await device.close();
  }
}

/**
 * Whether a journal would be a file of the disk that is worked on, or lie on that disk. By device and inode: names tell
 * nothing.
 */
async function insideOf(path: string, images: readonly string[]): Promise<Outcome<null>> {
  const own = await statOf(path);
  const folder = await statOf(dirname(path));
  const backing = folder && (await backingFile(folder.dev));
  for (const image of images) {
    const disk = await statOf(image);
    if (disk && ((own && same(own, disk)) || (backing && same(backing, disk))))
      return refusal(
        'journal-inside',
        `The journal at ${path} would lie on the disk that is worked on. Put it on another one. Nothing was written.`,
      );
  }
  return success(null);
}

/** The file behind a loop device that a file system lies on; null: there is none. @param device number of the device */
async function backingFile(device: number): Promise<Stats | null> {
  const [major, minor] = [(device >> 8) & 0xfff, (device & 0xff) | ((device >> 12) & 0xfff00)];
  const link = await readlink(`/sys/dev/block/${major}:${minor}`).catch(() => null);
  if (link === null) return null;
  const own = join('/sys/dev/block', link);
  // A partition of one lies in its folder.
  for (const folder of [own, dirname(own)]) {
    const file = await readFile(join(folder, 'loop', 'backing_file'), 'utf8').catch(() => null);
    if (file !== null) return statOf(file.trim());
  }
  return null;
}
