import type { RequestHandler } from '@sveltejs/kit';
import { readBody } from '$lib/server/door/body';
import { onPerson, refusedSignIn } from '$lib/server/people/answers';
import { placeOf } from '$lib/server/people/place';
import { changeSecrets } from '$lib/server/people/signIn';

/** Changes what oneself signs in with. */
export const PUT: RequestHandler = (event) =>
  onPerson(async (person) => {
    const body = await readBody(event.request, 'change-secrets');
    if (!body.ok) return body.response;
    const { present, ...chosen } = body.value;
    const refused = await changeSecrets(person, present, chosen, await placeOf(event));
    return refused ? refusedSignIn(refused) : new Response(null, { status: 204 });
  });
