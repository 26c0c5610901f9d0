import type { RequestHandler } from '@sveltejs/kit';
import { onPerson } from '$lib/server/people/answers';
import { forgetTriesAt } from '$lib/server/people/tries';

/** The person knows of the wrong tries to sign in as them. */
export const DELETE: RequestHandler = () =>
  onPerson(async ({ id }) => {
    await forgetTriesAt(id);
    return new Response(null, { status: 204 });
  });
