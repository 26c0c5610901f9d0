import { json, type RequestHandler } from '@sveltejs/kit';
import { onPerson } from '$lib/server/people/answers';
import { listSessions } from '$lib/server/people/sessions';

/** Where somebody is signed in: oneself, for owners everybody. */
export const GET: RequestHandler = () =>
  onPerson(async ({ id, role }) => json(await listSessions(role === 'owner' ? null : id)));
