import { ROLE_WORDS, ROLES } from '$contract/roles';
import { readWorkshopHistory } from '$lib/server/store/history/history';
import { listPeople } from '$lib/server/people/people';
import { listSessions } from '$lib/server/people/sessions';
import { requester } from '$lib/server/platform/requester';
import type { PageServerLoad } from './$types';

export const load: PageServerLoad = async () => ({
  people: await listPeople(),
  sessions: await listSessions(null),
  here: requester().session?.id ?? null,
  roles: ROLES.map((id) => ({ id, says: ROLE_WORDS[id] })),
  history: await readWorkshopHistory(),
});
