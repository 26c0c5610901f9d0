import { readiness } from '$lib/server/monitor/readiness';
import { deviceOf } from '$lib/server/people/cookies';
import { requester } from '$lib/server/requester';
import { config } from '$lib/server/settings/config';
import type { LayoutServerLoad } from './$types';

/** Who works here, and for owners what is wrong with the server. */
export const load: LayoutServerLoad = async ({ cookies, depends }) => {
  depends('app:who');
  const { person } = requester();
  const { signIn } = config();
  return {
    signIn,
    person,
    /** Whether somebody signed in on this device before, so that a PIN may be good on it. */
    knownDevice: signIn && deviceOf(cookies) !== undefined,
    unwell:
      person?.role === 'owner' || !signIn
        ? Object.values(await readiness()).filter((problem) => problem !== null)
        : [],
  };
};
