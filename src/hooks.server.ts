import type { Handle, HandleServerError, RequestEvent, ServerInit } from '@sveltejs/kit';
import { closeDatabase } from '$lib/server/database';
import { loadDemoData } from '$lib/server/demo/load';
import { throwAway } from '$lib/server/door/readBytes';
import { failureOf, type Failure } from '$lib/server/failure';
import { migrate } from '$lib/server/migrate';
import { problem } from '$lib/server/problem';
import { Keeper } from '$lib/server/rehearsal/keeper';
import { asPerson, PERSON_COOKIE } from '$lib/server/requester';
import { warmUp } from '$lib/server/schemas';
import { warmThreads } from '$lib/server/threads/aside';

/** The database is brought up to date before the first request; a server that can't do that does not start. */
export const init: ServerInit = async () => {
  warmUp();
  await migrate({ more: async () => process.env['GENTLE_TIDE_DEMO'] === '1' && (await loadDemoData()) });
  warmThreads();
  const keeper = new Keeper();
  keeper.start();
  process.on('sveltekit:shutdown', () => void keeper.stop().finally(closeDatabase));
};

export const handle: Handle = async (input) => {
  const response = await answerTo(input);
  if (!(await throwAway(input.event.request))) response.headers.set('connection', 'close');
  return response;
};

/** Programs get problem documents for everything that goes wrong, unknown addresses included. */
const answerTo: Handle = async ({ event, resolve }) => {
  const { gone, answered } = leaving(event);
  const who = event.cookies.get(PERSON_COOKIE) ?? '';
  const from = event.getClientAddress();
  const response = await asPerson(who, async () => resolve(event), { from, gone }).finally(answered);
  const forPrograms = event.url.pathname.startsWith('/api/') || event.url.pathname.startsWith('/schemas/');
  if (forPrograms) response.headers.set('cache-control', 'no-store');
  if (response.status < 400 || response.headers.get('content-type')?.includes('problem+json'))
    return response;
  const { failure } = event.locals;
  if (!forPrograms) return failure ? withFailure(new Response(response.body, response), failure) : response;
  if (failure) return withFailure(problem(failure.status, failure.detail), failure);
  const detail: Record<number, string> = {
    400: 'The address can’t be read: it holds something that is no text.',
    404: `There is nothing at ${event.url.pathname.slice(0, 200)}. /api/v1/openapi.json lists what there is.`,
    405: `${event.request.method} is not possible at ${event.url.pathname.slice(0, 200)}.`,
  };
  return problem(
    response.status,
    detail[response.status] ?? 'The server could not answer. Its log says more.',
  );
};

function withFailure(response: Response, { status, retryAfter }: Failure): Response {
  const headers = new Headers(response.headers);
  headers.set('cache-control', 'no-store');
  if (retryAfter !== null) headers.set('retry-after', String(retryAfter));
  return new Response(response.body, { status, headers });
}

/** Aborted once whoever asked is gone: the connection ended before there was an answer. */
function leaving({ platform }: RequestEvent): { gone: AbortSignal | null; answered: () => void } {
  const socket = platform?.req.socket;
  if (!socket) return { gone: null, answered: () => undefined };
  const controller = new AbortController();
  const leave = (): void => controller.abort();
  socket.once('close', leave);
  // A connection that lives on for the next request must not gather listeners.
  return { gone: controller.signal, answered: () => void socket.off('close', leave) };
}

export const handleError: HandleServerError = ({ error, status, event }) => {
  if (status === 404) return { message: 'There is no such page.', hint: 'Go back to the list of jobs.' };
  if (status < 500) return { message: 'This address can’t be read.', hint: 'Go back to the list of jobs.' };
  const failure = failureOf(error);
  if (failure) {
    event.locals.failure = failure;
    if (failure.log) console.error(`${event.request.method} ${event.url.pathname}: ${failure.log}`);
    const { status: answered, detail, retryAfter } = failure;
    return { message: detail, hint: retryAfter ? 'Nothing was saved.' : '', status: answered };
  }
  console.error(`${event.request.method} ${event.url.pathname}:`, error);
  return {
    message: 'Something went wrong on the server.',
    hint: 'Nothing was saved. Try again; the server’s log says more.',
  };
};
