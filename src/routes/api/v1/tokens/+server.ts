import { json, type RequestHandler } from '@sveltejs/kit';
import { onPerson, refusedSignIn, withBody } from '$lib/server/people/answers';
import { placeOf } from '$lib/server/people/place';
import { confirmPerson } from '$lib/server/people/signIn';
import { addToken, listTokens } from '$lib/server/people/tokens';
import { problem } from '$lib/server/problem';
import { nameOf, requester } from '$lib/server/requester';

export const GET: RequestHandler = () =>
  onPerson(async ({ id, role }) => json(await listTokens(role === 'owner' ? null : id)));

/** A token for a program, for somebody who says their secret again; what it is is shown this once. */
export const POST: RequestHandler = (event) =>
  withBody(event.request, 'new-token', async (body, person) => {
    const { present, name, scopes, days } = body;
    const refused = await confirmPerson(person, present, await placeOf(event));
    if (refused) return refusedSignIn(refused);
    const token = await addToken(person.id, nameOf(name), scopes, days, requester().session?.device);
    return token === null
      ? problem(409, 'There are a hundred tokens already. End some that nothing uses.', {
          title: 'Too many tokens',
        })
      : json({ token }, { status: 201 });
  });
