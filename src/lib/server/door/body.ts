import { badInput, problem } from '../problem';
import type { BodyName, BodyOf } from '../schemas';
import { aside } from '../threads/aside';
import { checkBody, type Checked } from './checkBody';
import { MOST_BYTES, readRaw, type Body } from './rawBody';

/** Bytes up to which a body is read and checked at once; the worst of that size takes some 5 ms. */
const SMALL = 32 * 1024;

/** The answer to a body that is refused. */
export const refusal = ({ status, problems }: Checked<unknown> & { ok: false }): Response =>
  status === 422 ? badInput(problems) : problem(status, problems[0]!.message);

/**
 * Reads and checks a JSON body. Everything that can be wrong with it becomes a problem document. A large one is read and checked
 * beside the server's own thread: what comes back fits its bounds.
 */
export async function readBody<N extends BodyName>(request: Request, name: N): Promise<Body<BodyOf<N>>> {
  const raw = await readRaw(request, 'application/json', MOST_BYTES);
  if (!raw.ok) return raw;
  const bytes = raw.value;
  const checked = bytes.length <= SMALL ? checkBody(bytes, name) : await aside('checkBody', { bytes, name });
  if (!checked.ok) return { ok: false, response: refusal(checked) };
  const { value } = checked;
  return { ok: true, value: (typeof value === 'string' ? JSON.parse(value) : value) as BodyOf<N> };
}
