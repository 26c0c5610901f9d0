import { existsSync } from 'node:fs';
import { failure, success, type Outcome } from '$core/problem';
import { formatSize } from '$core/units';
import { openElsewhere } from '../bench/imageLock';
import { database, rows, type Db } from '../database';
import { ALIVE, quoted, type RunPlace } from '../rehearsal/states';
import { findImage, listImages, type ImageFile } from './folder';
import { copyName, imagePath, journalOf } from './names';
import { plainFilesOf } from './plain';
import { isRead } from './reading';
import { unpromisedRoom } from './uploads';

const refuse = (code: string, message: string, path = '') => failure({ code, path, message });

/**
 * The image that a job's route may be carried out on.
 *
 * Problem codes: `no-image` (the survey is not of one on this server), `gone`, `name` (it was not typed as it is), `begun` (a journal lies beside
 * it), `in-use`, `no-room` (for a copy).
 */
export async function imageFor(
  name: string | null,
  place: Exclude<RunPlace, 'stand-in'>,
  typed: string | undefined,
): Promise<Outcome<string>> {
  if (name === null)
    return refuse(
      'no-image',
      'The job’s survey was not read from an image on this server. Survey the image from the Survey screen first.',
    );
  if (place === 'image' && typed !== name)
    return refuse('name', `To work on the image itself, type its name just as it is: ${name}`, '/typed');
  const image = await findImage(name);
  const files = image && (await plainFilesOf(imagePath(name)));
  if (!image || !files) return refuse('gone', `${name} is not in the folder of images any more.`);
  if (isRead(name))
    return refuse('in-use', `${name} is being read here at this moment. Try again once that is done.`);
  if (place === 'image' && existsSync(journalOf(imagePath(name))))
    return refuse(
      'begun',
      `A journal lies beside ${name}: a run was begun on it that is not of this job. Go on with it or take it back (npm run carry-out) before anything else.`,
      '/typed',
    );
  // Said at once; the run itself takes the lock when its turn comes.
  const others = place === 'image' ? await openElsewhere(files) : null;
  if (others) return refuse('in-use', others, '/typed');
  if (place === 'copy') {
    const room = await unpromisedRoom();
    if (image.whole.room > room)
      return refuse(
        'no-room',
        `A copy takes ${formatSize(image.whole.room)}, and the server has room for ${formatSize(Math.max(0, room))}.`,
      );
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
      WHERE r.place <> 'stand-in' AND r.state IN (${quoted(ALIVE)})`,
  );
  return found.map(({ id, job, place, image }) => ({
    job,
    image,
    file: place === 'copy' ? copyName(image, id) : image,
  }));
}

/** Every image of the folder, with the job whose route is being carried out on it. */
export async function imagesInUse(): Promise<{
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
