import { SCOPE_WORDS, SCOPES, ROLE_WORDS } from '$contract/roles';
import { placeOf } from '$lib/server/people/place';
import { listSessions } from '$lib/server/people/sessions';
import { listTokens } from '$lib/server/people/tokens';
import { requester } from '$lib/server/platform/requester';
import type { PageServerLoad } from './$types';

export const load: PageServerLoad = async (event) => {
  const { person, session } = requester();
  return {
    refused: event.url.searchParams.get('refused'),
    may: person && ROLE_WORDS[person.role],
    here: session,
    known: (await placeOf(event)).device !== null,
    sessions: person ? await listSessions(person.id) : [],
    tokens: person && person.role !== 'reader' ? await listTokens(person.id) : null,
    scopes: SCOPES.map((id) => ({ id, says: SCOPE_WORDS[id] })),
  };
};
