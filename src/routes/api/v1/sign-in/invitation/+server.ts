import { json, type RequestHandler } from '@sveltejs/kit';
import { readBody } from '$lib/server/door/body';
import { refusedSignIn } from '$lib/server/people/answers';
import { findInvitation } from '$lib/server/people/invitations';

/** What an address that is good once lets in, so that the page can ask for what is needed. */
export const POST: RequestHandler = async ({ request }) => {
  const body = await readBody(request, 'look-at-invitation');
  if (!body.ok) return body.response;
  const found = await findInvitation(body.value.invitation);
  return found ? json({ kind: found.kind, person: found.person }) : refusedSignIn({ why: 'used-up' });
};
