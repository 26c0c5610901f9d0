import { json, type RequestHandler } from '@sveltejs/kit';
import { placeOf } from '$lib/server/people/place';
import { peopleWithPin } from '$lib/server/people/signIn';
import { requester } from '$lib/server/requester';

/** Who is signed in here. On a device that is known also who may sign in with a PIN; names are shown nowhere else without signing in. */
export const GET: RequestHandler = async (event) => {
  const { person, session } = requester();
  const place = await placeOf(event);
  return json({
    person,
    session: session?.id ?? null,
    withPin: place.device === null ? null : await peopleWithPin(),
  });
};
