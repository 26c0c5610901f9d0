import type { RequestHandler } from '@sveltejs/kit';
import { jobNumber, named } from '$lib/server/answers';
import { transaction } from '$lib/server/database';
import { invitationAnswer, onPerson } from '$lib/server/people/answers';
import { endAccess } from '$lib/server/people/endAccess';
import { invite } from '$lib/server/people/invitations';
import { listPeople } from '$lib/server/people/people';
import { problem } from '$lib/server/problem';
import { requester } from '$lib/server/requester';

/** A new address for somebody who lost the first one, or forgot what to sign in with. */
export const POST: RequestHandler = ({ params }) =>
  onPerson(async () => {
    const id = jobNumber(params['id']);
    const found = (await listPeople()).find((one) => one.id === id);
    if (!found) return problem(404, `There is nobody of number ${named(params['id'])}.`);
    if (found.leftAt)
      return problem(409, `${found.name} works here no more. Take them back first.`, { title: 'Not here' });
    const token = await transaction(async (db) => {
      // Whoever lost what they sign in with may have lost it to somebody: nothing of before goes on.
      await endAccess(db, found.id, requester().session?.id);
      return invite(db, 'person', found.id);
    });
    return invitationAnswer('person', token);
  });
