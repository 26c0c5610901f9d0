import type { Handle, HandleServerError, ServerInit } from '@sveltejs/kit';
import { closeDatabase } from '$lib/server/database';
import { loadDemoData } from '$lib/server/demo/load';
import { migrate } from '$lib/server/migrate';
import { problem } from '$lib/server/problem';
import { asPerson, PERSON_COOKIE } from '$lib/server/requester';

/** The database is brought up to date before the first request; a server that can't do that does not start. */
export const init: ServerInit = async () => {
  await migrate();
  if (process.env['GENTLE_TIDE_DEMO'] === '1') await loadDemoData();
  process.on('sveltekit:shutdown', () => void closeDatabase());
};

/** Programs get problem documents for everything that goes wrong, unknown addresses included. */
export const handle: Handle = async ({ event, resolve }) => {
  const response = await asPerson(event.cookies.get(PERSON_COOKIE) ?? '', () => resolve(event));
  const forPrograms = event.url.pathname.startsWith('/api/') || event.url.pathname.startsWith('/schemas/');
  if (!forPrograms || response.status < 400) return response;
  if (response.headers.get('content-type')?.includes('problem+json')) return response;
  const detail: Record<number, string> = {
    404: `There is nothing at ${event.url.pathname}. /api/v1/openapi.json lists what there is.`,
    405: `${event.request.method} is not possible at ${event.url.pathname}.`,
  };
  return problem(
    response.status,
    detail[response.status] ?? 'The server could not answer. Its log says more.',
  );
};

export const handleError: HandleServerError = ({ error, status, event }) => {
  if (status === 404) return { message: 'There is no such page.', hint: 'Go back to the list of jobs.' };
  console.error(`${event.request.method} ${event.url.pathname}:`, error);
  return {
    message: 'Something went wrong on the server.',
    hint: 'Nothing was saved. Try again; the server’s log says more.',
  };
};
