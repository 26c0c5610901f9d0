import type { RequestHandler } from '@sveltejs/kit';
import { benchEvents } from '$lib/server/feed/stream';
import { problem } from '$lib/server/problem';
import { requester } from '$lib/server/requester';

/** What is done at the bench, as it is done. */
export const GET: RequestHandler = ({ request }) => {
  const stream = benchEvents(requester().session?.id ?? null, request.signal);
  return stream
    ? new Response(stream, {
        headers: {
          'content-type': 'text/event-stream',
          'cache-control': 'no-store',
          'x-accel-buffering': 'no',
        },
      })
    : problem(503, 'Too many are watching at once. Try again in a moment.');
};
