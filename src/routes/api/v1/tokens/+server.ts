import { json, type RequestHandler } from '@sveltejs/kit';
import { onPerson, withBody } from '$lib/server/people/answers';
import { addToken, listTokens } from '$lib/server/people/tokens';
import { problem } from '$lib/server/problem';
import { nameOf } from '$lib/server/requester';

export const GET: RequestHandler = () =>
  onPerson(async ({ id, role }) => json(await listTokens(role === 'owner' ? null : id)));

/** A token for a program; what it is is shown this once. */
export const POST: RequestHandler = ({ request }) =>
  withBody(request, 'new-token', async (body, { id }) => {
    const { name, scopes, days } = body;
    const token = await addToken(id, nameOf(name), scopes, days);
    return token === null
      ? problem(409, 'There are a hundred tokens already. End some that nothing uses.', {
          title: 'Too many tokens',
        })
      : json({ token }, { status: 201 });
  });
