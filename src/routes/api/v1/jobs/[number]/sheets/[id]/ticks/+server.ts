import { json, type RequestHandler } from '@sveltejs/kit';
import { readBody } from '$lib/server/door/body';
import { onSheet, refuseStale, whyStale } from '$lib/server/onSheet';
import { attributed } from '$lib/server/people/attributed';
import { badInput } from '$lib/server/problem';
import { addTicks } from '$lib/server/sheets';

/** What was ticked on a sheet so far. */
export const GET: RequestHandler = ({ params }) =>
  onSheet(params, (_, sheet) => Promise.resolve(json({ ticks: sheet.ticks })));

/**
 * Keeps ticks, however often and late they are sent: one that is there already is left as it is. Where the plan or the survey is another by
 * now, they wait on their device for a word: whoever ticks may work from figures that no longer hold.
 */
export const POST: RequestHandler = ({ request, params }) =>
  onSheet(params, async (job, sheet) => {
    const body = await readBody(request, 'ticks');
    if (!body.ok) return body.response;
    const stale = await whyStale(job, sheet);
    const refused = stale && refuseStale(stale, false);
    if (refused) return refused;
    const kept = await addTicks(job.number, sheet.id, await attributed(body.value.ticks));
    return kept.ok ? json({ ticks: kept.value }) : badInput(kept.problems);
  });
