import { MOST_BYTES, readRaw, refusal } from '../door/body';
import { aside } from './aside';

/** Answers a body that is read, checked and worked on beside the server's own thread. */
export async function fromBody(request: Request, task: 'routes' | 'diagnosis'): Promise<Response> {
  const raw = await readRaw(request, 'application/json', MOST_BYTES);
  if (!raw.ok) return raw.response;
  const answer = await aside(task, raw.value);
  if (!answer.ok) return refusal(answer.status, answer.problems);
  return new Response(answer.text, { headers: { 'content-type': 'application/json' } });
}
