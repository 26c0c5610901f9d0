import type { Problem } from '$core/problem';
import { badInput, problem } from '../problem';
import { checkOf, faultsIn, type BodyName, type BodyOf } from '../schemas';
import { parseJson } from './parseJson';
import { readBytes } from './readBytes';

export const MOST_BYTES = 4 * 1024 * 1024;

export type Body<T> = { ok: true; value: T } | { ok: false; response: Response };

/** The answer to a body that is refused. */
export const refusal = (status: number, problems: readonly Problem[]): Response =>
  status === 422 ? badInput(problems) : problem(status, problems[0]!.message);

/** Reads and checks a JSON body. Everything that can be wrong with it becomes a problem document. */
export async function readBody<N extends BodyName>(request: Request, name: N): Promise<Body<BodyOf<N>>> {
  const raw = await readRaw(request, 'application/json', MOST_BYTES);
  if (!raw.ok) return raw;
  const checked = checkBody(raw.value, name);
  return checked.ok ? checked : { ok: false, response: refusal(checked.status, checked.problems) };
}

/** What a body holds, or what refuses it, once its bytes are there; in the server's own thread and in others alike. */
export function checkBody<N extends BodyName>(
  bytes: Uint8Array,
  name: N,
): { ok: true; value: BodyOf<N> } | { ok: false; status: number; problems: Problem[] } {
  const refuse = (status: number, problems: Problem[]) => ({ ok: false as const, status, problems });
  const parsed = parseJson(bytes);
  if (!parsed.ok) {
    const [{ code, path, message }] = parsed.problems as [Problem];
    return code === 'syntax' || code === 'encoding'
      ? refuse(400, [{ code, path, message: `The body could not be read. ${message}` }])
      : refuse(422, parsed.problems);
  }
  const { value } = parsed;
  if (checkOf(name)(value)) return { ok: true, value };
  const faults = faultsIn(name, value);
  return refuse(
    422,
    faults.map((fault) => ({ code: 'form', ...fault })),
  );
}

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
