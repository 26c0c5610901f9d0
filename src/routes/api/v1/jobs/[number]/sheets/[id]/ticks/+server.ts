import { json, type RequestHandler } from '@sveltejs/kit';
import { readBody } from '$lib/server/door/body';
import { onSheet } from '$lib/server/onSheet';
import { attributed } from '$lib/server/people/attributed';
import { badInput } from '$lib/server/problem';
import { addTicks } from '$lib/server/sheets';

/** What was ticked on a sheet so far. */
export const GET: RequestHandler = ({ params }) =>
  onSheet(params, (_, sheet) => Promise.resolve(json({ ticks: sheet.ticks })));

/**
 * Keeps ticks, however often and late they are sent: one that is there already is left as it is. They are taken on a
 * sheet that went stale as well, since they tell what was done.
 */
export const POST: RequestHandler = ({ request, params }) =>
  onSheet(params, async (job, sheet) => {
    const body = await readBody(request, 'ticks');
    if (!body.ok) return body.response;
    const kept = await addTicks(job.number, sheet.id, await attributed(body.value.ticks));
    return kept.ok ? json({ ticks: kept.value }) : badInput(kept.problems);
  });
