import type { RequestHandler } from '@sveltejs/kit';
import { invitationAnswer, onPerson } from '$lib/server/people/answers';
import { inviteNow } from '$lib/server/people/invitations';

/** An address with which one more device signs in as the same person. */
export const POST: RequestHandler = () =>
  onPerson(async ({ id }) => invitationAnswer('device', await inviteNow('device', id)));
