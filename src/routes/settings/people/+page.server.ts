import { historyOfBench } from '$lib/server/history/history';
import { listPeople } from '$lib/server/people/people';
import { ROLE_WORDS, ROLES } from '$lib/server/people/roles';
import { listSessions } from '$lib/server/people/sessions';
import { requester } from '$lib/server/requester';
import type { PageServerLoad } from './$types';

export const load: PageServerLoad = async () => ({
  people: await listPeople(),
  sessions: await listSessions(null),
  here: requester().session?.id ?? null,
  roles: ROLES.map((id) => ({ id, says: ROLE_WORDS[id] })),
  history: await historyOfBench(),
});
