import type { RequestHandler } from '@sveltejs/kit';
import { onRehearsal } from '$lib/server/rehearsal/answers';
import { proofOf } from '$lib/server/rehearsal/rehearsals';
import { problem } from '$lib/server/problem';

/** What came of it, as a file. */
export const GET: RequestHandler = ({ params }) =>
  onRehearsal(params, async (job, { id }) => {
    const proof = await proofOf(job.number, id);
    if (!proof) return problem(404, `Rehearsal ${id} has no proof: it has not come to its end.`);
    return new Response(`${JSON.stringify(proof, null, 2)}\n`, {
      headers: {
        'content-type': 'application/json',
        'content-disposition': `attachment; filename="rehearsal-${job.number}-${id}.json"`,
      },
    });
  });
