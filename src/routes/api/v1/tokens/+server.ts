import { json, type RequestHandler } from '@sveltejs/kit';
import { readBody } from '$lib/server/door/body';
import { onPerson } from '$lib/server/people/answers';
import { addToken, listTokens } from '$lib/server/people/tokens';
import { problem } from '$lib/server/problem';
import { nameOf } from '$lib/server/requester';

export const GET: RequestHandler = () =>
  onPerson(async ({ id, role }) => json(await listTokens(role === 'owner' ? null : id)));

/** A token for a program; what it is is shown this once. */
export const POST: RequestHandler = ({ request }) =>
  onPerson(async ({ id }) => {
    const body = await readBody(request, 'new-token');
    if (!body.ok) return body.response;
    const { name, scopes, days } = body.value;
    const token = await addToken(id, nameOf(name), scopes, days);
    return token === null
      ? problem(409, 'There are a hundred tokens already. End some that nothing uses.', {
          title: 'Too many tokens',
        })
      : json({ token }, { status: 201 });
  });
