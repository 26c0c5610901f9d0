import type { RequestHandler } from '@sveltejs/kit';
import { jobNumber, named } from '$lib/server/answers';
import { onPerson } from '$lib/server/people/answers';
import { endSession } from '$lib/server/people/sessions';
import { problem } from '$lib/server/problem';

export const DELETE: RequestHandler = ({ params }) =>
  onPerson(async ({ id, role }) =>
    (await endSession(jobNumber(params['id']) ?? 0, role === 'owner' ? null : id))
      ? new Response(null, { status: 204 })
      : problem(404, `There is no session ${named(params['id'])} of yours, or it ended already.`),
  );
