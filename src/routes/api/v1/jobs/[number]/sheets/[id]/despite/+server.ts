import type { RequestHandler } from '@sveltejs/kit';
import { readBody } from '$lib/server/door/body';
import { onSheet, whyStale } from '$lib/server/onSheet';
import { problem } from '$lib/server/problem';
import { workDespite } from '$lib/server/staleSheet';

/** Somebody who saw why a sheet no longer holds says that it is worked from all the same. */
export const PUT: RequestHandler = ({ request, params }) =>
  onSheet(params, async (job, sheet) => {
    const body = await readBody(request, 'work-despite');
    if (!body.ok) return body.response;
    const stale = await whyStale(job, sheet);
    if (stale?.word === 'no') return problem(409, stale.why, { title: 'This sheet ended' });
    if (stale && stale.against !== body.value.against)
      return problem(409, `It changed again meanwhile. ${stale.why}`, {
        title: 'This sheet no longer holds',
      });
    if (stale?.word === 'wanted') await workDespite(job, sheet, stale.against, stale.why);
    return new Response(null, { status: 204 });
  });
