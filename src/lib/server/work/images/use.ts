import { ALIVE, type RunPlace } from '$contract/rehearsalStates';
import { refuse } from '$contract/problems';
import { quoteList } from '../../store/database/sql';
import { existsSync } from 'node:fs';
import { success, type Outcome } from '$core/problem';
import { openElsewhere } from '../../executor/imageLock';
import { database, rows, type Db } from '../../store/database/database';
import { findImage, listImages, type ImageFile } from './folder';
import { copyName, getImagePath, journalOf } from '../../platform/imageNames';
import { plainFilesOf } from './plain';
import { isRead } from './reading';
import { countUnpromisedRoom } from './uploads';

/**
 * The image that a job's route may be carried out on.
 *
 * Refusals: `not-from-image`, `name-not-typed`, `image-gone`, `image-read`, `run-begun`, `image-open`,
 * `no-room-for-copy`.
 */
export async function checkRunImage(
  name: string | null,
  place: Exclude<RunPlace, 'stand-in'>,
  typed: string | undefined,
): Promise<Outcome<string>> {
  if (name === null) return refuse('not-from-image');
  if (place === 'image' && typed !== name) return refuse('name-not-typed', { image: name });
  const image = await findImage(name);
  const files = image && (await plainFilesOf(getImagePath(name)));
  if (!image || !files) return refuse('image-gone', { image: name });
  if (isRead(name)) return refuse('image-read', { image: name });
  if (place === 'image' && existsSync(journalOf(getImagePath(name))))
    return refuse('run-begun', { image: name });
  // Said at once; the run itself takes the lock when its turn comes.
  const others = place === 'image' ? await openElsewhere(files) : null;
  if (others) return refuse('image-open', { why: others });
  if (place === 'copy') {
    const room = await countUnpromisedRoom();
    if (image.whole.room > room) return refuse('no-room-for-copy', { needed: image.whole.room, room });
  }
  return success(name);
}

/** Runs on images that are not at their end. */
interface AliveRun {
  job: number;
  /** The image, or the one that the copy is made of. */
  image: string;
  /** The file that is worked on. */
  file: string;
}

async function aliveRuns(db: Db): Promise<AliveRun[]> {
  const found = await rows<{ id: number; job: number; place: 'copy' | 'image'; image: string }>(
    db,
    `SELECT r.id, j.number AS job, r.place, r.image FROM rehearsals r JOIN jobs j ON j.id = r.job_id
      WHERE r.place <> 'stand-in' AND r.state IN (${quoteList(ALIVE)})`,
  );
  return found.map(({ id, job, place, image }) => ({
    job,
    image,
    file: place === 'copy' ? copyName(image, id) : image,
  }));
}

/** Every image of the folder, with the job whose route is being carried out on it. */
export async function findImagesInUse(): Promise<{
  images: (ImageFile & { job: number | null })[];
  more: number;
}> {
  const { images, more } = await listImages();
  const jobs = new Map((await aliveRuns(database())).map(({ file, job }) => [file, job]));
  return { images: images.map((one) => ({ ...one, job: jobs.get(one.name) ?? null })), more };
}

/** The job whose route is being carried out on a file of the folder; null: nobody's. */
export const jobOn = async (db: Db, name: string): Promise<number | null> =>
  (await aliveRuns(db)).find(({ file }) => file === name)?.job ?? null;

/** The same, or on a copy of it: nothing else is begun with an image meanwhile. */
export const jobWith = async (db: Db, name: string): Promise<number | null> =>
  (await aliveRuns(db)).find(({ file, image }) => file === name || image === name)?.job ?? null;
