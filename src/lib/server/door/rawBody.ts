import { problem } from '../problem';
import { readBytes } from './readBytes';

export const MOST_BYTES = 4 * 1024 * 1024;

export type Body<T> = { ok: true; value: T } | { ok: false; response: Response };

/** The bytes of a body of one media type, or the answer that refuses them. */
export async function readRaw(request: Request, type: string, most: number): Promise<Body<Uint8Array>> {
  const refused = (response: Response): Body<Uint8Array> => ({ ok: false, response });
  const given = request.headers.get('content-type')?.split(';')[0]?.trim().toLowerCase();
  const bytes = await readBytes(request, most);
  if (given !== type) {
    return refused(
      problem(415, `Send ${type}, not ${given ? given.slice(0, 100) : 'a body without a type'}.`),
    );
  }
  if (!bytes) {
    const limit = `The body is larger than ${most / 1024 / 1024} MiB: nothing that is kept here is.`;
    const response = problem(413, limit);
    // What is left of it, if anything, is not read any more.
    response.headers.set('connection', 'close');
    return refused(response);
  }
  return { ok: true, value: bytes };
}
