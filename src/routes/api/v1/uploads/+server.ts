import { json, type RequestHandler } from '@sveltejs/kit';
import { readBody } from '$lib/server/door/body';
import { refusedUpload } from '$lib/server/images/answers';
import { beginUpload } from '$lib/server/images/uploads';

/** Begins to send an image up, or finds how much of it has arrived already. */
export const POST: RequestHandler = async ({ request }) => {
  const body = await readBody(request, 'begin-upload');
  if (!body.ok) return body.response;
  const begun = await beginUpload(body.value);
  return begun.ok ? json(begun.value, { status: 201 }) : refusedUpload(begun.problems);
};
