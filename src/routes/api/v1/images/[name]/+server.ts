import type { RequestHandler } from '@sveltejs/kit';
import { named } from '$lib/server/answers';
import { database } from '$lib/server/database';
import { sendImage } from '$lib/server/images/download';
import { findImage } from '$lib/server/images/folder';
import { jobOn } from '$lib/server/images/use';
import { problem } from '$lib/server/problem';

/** The image as a file, whole or from where a download was broken off; not while a route is being carried out on it. */
const answer: RequestHandler = async ({ params, request }) => {
  const image = await findImage(params['name'] ?? '');
  if (!image) return problem(404, `There is no image ${named(params['name'])} in the folder of images.`);
  const job = await jobOn(database(), image.name);
  if (job !== null)
    return problem(
      409,
      `The route of job ${job} is being carried out on ${image.name}. Download it once that is done.`,
    );
  return sendImage(image, request.headers, request.method === 'HEAD');
};

export const GET = answer;
/** Of its own, since nobody would read the bytes, and nothing may be begun on an image that is being read. */
export const HEAD = answer;
