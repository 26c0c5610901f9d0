import type { RequestHandler } from '@sveltejs/kit';
import { onRehearsal } from '$lib/server/rehearsal/answers';
import { watch } from '$lib/server/rehearsal/watch';
import { problem } from '$lib/server/problem';

/** Its state whenever it changes, for as long as somebody looks. */
export const GET: RequestHandler = ({ params, request }) =>
  onRehearsal(params, async (job, rehearsal) => {
    const stream = watch(job.number, rehearsal.id, request.signal);
    return stream
      ? new Response(stream, {
          headers: { 'content-type': 'text/event-stream', 'cache-control': 'no-store' },
        })
      : problem(503, 'Too many are watching at once. Try again in a moment.');
  });
