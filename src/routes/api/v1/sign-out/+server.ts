import type { RequestHandler } from '@sveltejs/kit';
import { dropSession } from '$lib/server/people/cookies';
import { endSession } from '$lib/server/people/sessions';
import { requester } from '$lib/server/requester';

/** Ends the session of this device; what the browser kept of it goes as well. */
export const POST: RequestHandler = async ({ cookies }) => {
  const { session } = requester();
  if (session) await endSession(session.id, null);
  dropSession(cookies);
  return new Response(null, { status: 204, headers: { 'clear-site-data': '"cache"' } });
};
