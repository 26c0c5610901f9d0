import type { RequestHandler } from '@sveltejs/kit';
import { database } from '$lib/server/database';
import { invitationAnswer, refusedSignIn, withBody } from '$lib/server/people/answers';
import { mayLetIn } from '$lib/server/people/devices';
import { inviteNow } from '$lib/server/people/invitations';
import { placeOf } from '$lib/server/people/place';
import { confirmPerson } from '$lib/server/people/signIn';
import { requester } from '$lib/server/requester';

/** An address with which one more device signs in as the same person, who says their secret again. */
export const POST: RequestHandler = (event) =>
  withBody(event.request, 'confirm', async ({ present }, person) => {
    const session = requester().session!.id;
    if (!(await mayLetIn(database(), person.id, session))) return refusedSignIn({ why: 'devices' });
    const refused = await confirmPerson(person, present, await placeOf(event));
    return refused
      ? refusedSignIn(refused)
      : invitationAnswer('device', await inviteNow('device', person.id, session));
  });
