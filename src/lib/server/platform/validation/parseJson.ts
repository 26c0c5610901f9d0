import { type Outcome, refusal, success } from '$core/problem';
import { mendText } from '$core/wellFormed';
import { findTooMuch } from './scanJson';

/**
 * A value from JSON bytes that came from outside. Problem codes: `too-much` (deeper or more than any document),
 * `encoding` (no UTF-8), `syntax` (no JSON), `key` (a name that would change what an object is).
 */
export function parseJson(bytes: Uint8Array, mostValues?: number): Outcome<unknown> {
  const much = findTooMuch(bytes, mostValues);
  if (much) return refusal('too-much', much);
  let value: unknown;
  let text: string;
  try {
    text = new TextDecoder('utf-8', { fatal: true }).decode(bytes);
  } catch {
    return refusal('encoding', 'It is not valid UTF-8.');
  }
  try {
    value = JSON.parse(text);
  } catch (error) {
    return refusal('syntax', `It is not JSON: ${mendText((error as Error).message)}.`);
  }
  // Both can only come of an escape or stand in the text as they are; most texts hold neither.
  if (!/\\u|__proto__/.test(text)) return success(value);
  const whole = { value };
  const path = mend(whole, '', { halves: /\\u[dD]/.test(text) });
  if (path !== null)
    return refusal('key', 'A field may not be called “__proto__”.', path.slice('/value'.length));
  return success(whole.value);
}

/** Escapes halves of surrogate pairs in place. @returns the path of a field that may not be there, or null */
function mend(holder: object, path: string, how: { halves: boolean }): string | null {
  for (const [key, value] of Object.entries(holder) as [string, unknown][]) {
    const at = `${path}/${key}`;
    if (key === '__proto__') return at;
    if (how.halves && !key.isWellFormed()) {
      Reflect.deleteProperty(holder, key);
      Reflect.set(holder, mendText(key), value);
    }
    if (typeof value === 'string') {
      if (how.halves && !value.isWellFormed()) Reflect.set(holder, mendText(key), mendText(value));
    } else if (typeof value === 'object' && value !== null) {
      const found = mend(value, at, how);
      if (found !== null) return found;
    }
  }
  return null;
}
