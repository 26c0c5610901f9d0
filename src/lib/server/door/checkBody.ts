import type { Problem } from '$core/problem';
import { checkOf, faultsIn, type BodyName, type BodyOf } from '../schemas';
import { parseJson } from './parseJson';

/** A body that was checked, or what refuses it. */
export type Checked<T> = { ok: true; value: T } | { ok: false; status: number; problems: Problem[] };

/** What a body holds, or what refuses it, once its bytes are there; in the server's own thread and in others alike. */
export function checkBody<N extends BodyName>(bytes: Uint8Array, name: N): Checked<BodyOf<N>> {
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
