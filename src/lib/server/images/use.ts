import { existsSync } from 'node:fs';
import { statfs } from 'node:fs/promises';
import { failure, success, type Outcome } from '$core/problem';
import { formatSize } from '$core/units';
import { database, rows, type Db } from '../database';
import { ALIVE, quoted, type RunPlace } from '../rehearsal/states';
import { findImage, imagePath, imagesFolder, journalOf, listImages, type ImageFile } from './folder';
import { plainFilesOf } from './plain';
import { isRead } from './reading';
import { KEPT_FREE } from './uploads';

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
    );
  if (place === 'copy') {
    const { bavail, bsize } = await statfs(imagesFolder());
    const room = bavail * bsize - KEPT_FREE;
    if (image.whole.room > room)
      return refuse(
        'no-room',
        `A copy takes ${formatSize(image.whole.room)}, and the server has room for ${formatSize(Math.max(0, room))}.`,
      );
  }
  return success(name);
}

/** Every image of the folder, with the job whose route is being carried out on it. */
export async function imagesInUse(): Promise<{
  images: (ImageFile & { job: number | null })[];
  more: number;
}> {
  const { images, more } = await listImages();
  const used = await rows<{ image: string; number: number }>(
    database(),
    `SELECT r.image, j.number FROM rehearsals r JOIN jobs j ON j.id = r.job_id
      WHERE r.place <> 'stand-in' AND r.state IN (${quoted(ALIVE)})`,
  );
  const jobs = new Map(used.map(({ image, number }) => [image, number]));
  return { images: images.map((one) => ({ ...one, job: jobs.get(one.name) ?? null })), more };
}

/** The job whose route is being carried out on an image or a copy of it; null: nobody's. */
export async function jobOn(db: Db, image: string): Promise<number | null> {
  const [row] = await rows<{ number: number }>(
    db,
    `SELECT j.number FROM rehearsals r JOIN jobs j ON j.id = r.job_id
      WHERE r.image = ? AND r.place <> 'stand-in' AND r.state IN (${quoted(ALIVE)}) LIMIT 1`,
    [image],
  );
  return row?.number ?? null;
}
