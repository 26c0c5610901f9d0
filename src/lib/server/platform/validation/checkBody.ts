import { refuse } from '$contract/problems';
import { failure, success, type Outcome, type Problem } from '$core/problem';
import { defineTask } from '../threads/task';
import { parseJson } from './parseJson';
import { findFaults } from './schemas';

/**
 * The document that the bytes of a body hold, in the server's own thread and in others alike. Refusals: `bad-json`, and
 * the faults that its schema and `parseJson` find.
 */
export function checkBody(bytes: Uint8Array, name: string): Outcome<unknown> {
  const parsed = parseJson(bytes);
  if (!parsed.ok) {
    const [{ code, message }] = parsed.problems as [Problem];
    return code === 'syntax' || code === 'encoding' ? refuse('bad-json', { why: message }) : parsed;
  }
  const faults = findFaults(name, parsed.value);
  return faults.length === 0
    ? success(parsed.value)
    : failure(...faults.map((fault) => ({ code: 'form', ...fault })));
}

/**
 * The same beside the server's own thread; what it holds as JSON text, which is copied from thread to thread faster
 * than what it says.
 */
export const checkBodyTask = defineTask(
  'checkBody',
  ({ bytes, name }: { bytes: Uint8Array; name: string }): Outcome<string> => asText(checkBody(bytes, name)),
);

/** Outcome of a body's check, as JSON text. */
export const asText = (outcome: Outcome<unknown>): Outcome<string> =>
  outcome.ok ? success(JSON.stringify(outcome.value)) : outcome;
