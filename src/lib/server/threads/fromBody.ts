import { refusal } from '../door/body';
import { MOST_BYTES, readRaw } from '../door/rawBody';
import { aside } from './aside';

/** Answers a body that is read, checked and worked on beside the server's own thread. */
export async function fromBody(request: Request, task: 'routes' | 'diagnosis'): Promise<Response> {
  const raw = await readRaw(request, 'application/json', MOST_BYTES);
  if (!raw.ok) return raw.response;
  const answer = await aside(task, raw.value);
  return answer.ok
    ? new Response(answer.value, { headers: { 'content-type': 'application/json' } })
    : refusal(answer);
}
