import type { RequestHandler } from '@sveltejs/kit';
import { refusedSignIn, withBody } from '$lib/server/people/answers';
import { placeOf } from '$lib/server/people/place';
import { changeSecrets } from '$lib/server/people/signIn';

/** Changes what oneself signs in with. */
export const PUT: RequestHandler = (event) =>
  withBody(event.request, 'change-secrets', async (body, person) => {
    const { present, ...chosen } = body;
    const refused = await changeSecrets(person, present, chosen, await placeOf(event));
    return refused ? refusedSignIn(refused) : new Response(null, { status: 204 });
  });
