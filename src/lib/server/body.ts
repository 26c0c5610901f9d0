import { problem, badInput } from './problem';
import { checkOf, fieldErrors, type BodyName, type BodyOf } from './schemas';

export const MOST_BYTES = 4 * 1024 * 1024;

export type Body<T> = { ok: true; value: T } | { ok: false; response: Response };

/** Reads and checks a JSON body. Everything that can be wrong with it becomes a problem document. */
export async function readBody<N extends BodyName>(request: Request, name: N): Promise<Body<BodyOf<N>>> {
  const refused = (response: Response): Body<BodyOf<N>> => ({ ok: false, response });
  const type = request.headers.get('content-type')?.split(';')[0]?.trim().toLowerCase();
  if (type !== 'application/json') {
    return refused(problem(415, `Send JSON (application/json), not ${type ?? 'a body without a type'}.`));
  }
  const text = await readText(request);
  if (text === null)
    return refused(problem(413, 'The body is larger than 4 MiB. A survey document is far smaller.'));
  let value: unknown;
  try {
    value = JSON.parse(text);
  } catch (error) {
    return refused(problem(400, `The body is not JSON: ${(error as Error).message}.`));
  }
  const check = checkOf(name);
  return check(value) ? { ok: true, value } : refused(badInput(fieldErrors(check.errors ?? [])));
}

/** The body as text, or null once it passes the limit; the rest is then not read. */
async function readText(request: Request): Promise<string | null> {
  const bytes = await readBytes(request, MOST_BYTES);
  return bytes && new TextDecoder().decode(bytes);
}

/** The body, or null once it passes the limit; the rest is then not read. */
export async function readBytes(request: Request, most: number): Promise<Uint8Array | null> {
  if (Number(request.headers.get('content-length') ?? 0) > most) return null;
  const chunks: Uint8Array[] = [];
  let length = 0;
  if (request.body) {
    for await (const chunk of request.body as unknown as AsyncIterable<Uint8Array>) {
      length += chunk.length;
      if (length > most) return null;
      chunks.push(chunk);
    }
  }
  return Buffer.concat(chunks);
}
