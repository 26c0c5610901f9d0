import { json, type RequestHandler } from '@sveltejs/kit';
import { readRaw } from '$lib/server/door/rawBody';
import { noUpload, refusedUpload } from '$lib/server/images/answers';
import { dropUpload, findUpload, MOST_PIECE, takePiece } from '$lib/server/images/uploads';
import { badInput } from '$lib/server/problem';

export const GET: RequestHandler = async ({ params }) => {
  const upload = await findUpload(params['id'] ?? '');
  return upload ? json(upload) : noUpload();
};

/** The next piece. */
export const PUT: RequestHandler = async ({ params, url, request }) => {
  const upload = await findUpload(params['id'] ?? '');
  if (!upload) return noUpload();
  const offset = Number(url.searchParams.get('offset') ?? NaN);
  if (!Number.isSafeInteger(offset) || offset < 0)
    return badInput([{ path: '/offset', message: 'Say at which byte the piece begins (?offset=…).' }]);
  const piece = await readRaw(request, 'application/octet-stream', MOST_PIECE);
  if (!piece.ok) return piece.response;
  if (piece.value.length === 0) return badInput([{ path: '', message: 'The piece is empty.' }]);
  const taken = await takePiece(upload.id, offset, piece.value);
  return taken.ok ? json(taken.value) : refusedUpload(taken.problems);
};

/** What has arrived is thrown away. */
export const DELETE: RequestHandler = async ({ params }) => {
  const upload = await findUpload(params['id'] ?? '');
  if (!upload) return noUpload();
  await dropUpload(upload.id);
  return new Response(null, { status: 204 });
};
