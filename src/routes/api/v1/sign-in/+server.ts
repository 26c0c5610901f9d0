import type { RequestHandler } from '@sveltejs/kit';
import { readBody } from '$lib/server/door/body';
import { entered, nobodySignsIn } from '$lib/server/people/answers';
import { placeOf } from '$lib/server/people/place';
import { byInvitation, byPassphrase, byPin } from '$lib/server/people/signIn';
import { nameOf } from '$lib/server/requester';
import { config } from '$lib/server/settings/config';

/** Lets somebody in: the session comes as a cookie. */
export const POST: RequestHandler = async (event) => {
  const body = await readBody(event.request, 'sign-in');
  if (!body.ok) return body.response;
  if (!config().signIn) return nobodySignsIn();
  const said = body.value;
  const place = await placeOf(event);
  switch (said.by) {
    case 'passphrase':
      return entered(event.cookies, await byPassphrase(nameOf(said.name), said.passphrase, place));
    case 'pin':
      return entered(event.cookies, await byPin(said.person, said.pin, place));
    case 'invitation':
      return entered(event.cookies, await byInvitation(said.invitation, said, place));
  }
};
