import { checkReadiness } from '$lib/server/web/monitor/readiness';
import { listTriesAt } from '$lib/server/people/tries';
import { requester } from '$lib/server/platform/requester';
import { config } from '$lib/server/platform/settings/config';
import type { LayoutServerLoad } from './$types';

/** Who works here, the wrong tries to sign in as them, and for owners what is wrong with the server. */
export const load: LayoutServerLoad = async () => {
  const { person } = requester();
  const { signIn } = config();
  return {
    signIn,
    person,
    wrongTries: person ? await listTriesAt(person.id) : [],
    unwell:
      person?.role === 'owner' || !signIn
        ? Object.values(await checkReadiness()).filter((problem) => problem !== null)
        : [],
  };
};
