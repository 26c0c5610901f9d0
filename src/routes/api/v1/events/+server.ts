import type { RequestHandler } from '@sveltejs/kit';
import { benchEvents } from '$lib/server/feed/stream';
import { presenceOf } from '$lib/server/people/presence';
import { problem } from '$lib/server/problem';
import { requester } from '$lib/server/requester';

/** `x-accel-buffering`: what stands in front of the server hands each event on as it comes. */
const HEADERS = {
  'content-type': 'text/event-stream',
  'cache-control': 'no-store',
  'x-accel-buffering': 'no',
};

/** What is done at the bench, as it is done. */
export const GET: RequestHandler = ({ request }) => {
  // Whoever asks for the head alone hears no events, and would wait for their end.
  if (request.method === 'HEAD') return new Response(null, { headers: HEADERS });
  const stream = benchEvents(presenceOf(requester()), request.signal);
  return stream
    ? new Response(stream, { headers: HEADERS })
    : problem(503, 'Too many are watching at once. Try again in a moment.');
};
