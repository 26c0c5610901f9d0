import { json, type RequestHandler } from '@sveltejs/kit';
import { transaction } from '$lib/server/database';
import { recordAtBench } from '$lib/server/history/history';
import { invitationAnswer, withBody } from '$lib/server/people/answers';
import { invite } from '$lib/server/people/invitations';
import { addPerson, listPeople, NameTaken } from '$lib/server/people/people';
import { badInput, problem } from '$lib/server/problem';
import { nameOf } from '$lib/server/requester';

export const GET: RequestHandler = async () => json(await listPeople());

/** Takes somebody on: they choose themselves what to sign in with. */
export const POST: RequestHandler = ({ request }) =>
  withBody(request, 'new-person', async (body) => {
    const name = nameOf(body.name);
    const { role } = body;
    try {
      const made = await transaction(async (db) => {
        const id = await addPerson(db, name, role);
        await recordAtBench(db, `${name} works here from now on, as ${role}.`);
        return { id, token: await invite(db, 'person', id) };
      });
      return invitationAnswer('person', made.token, { id: made.id });
    } catch (error) {
      if (error instanceof NameTaken) return taken(name);
      if (error instanceof RangeError) return problem(409, error.message);
      throw error;
    }
  });

const taken = (name: string): Response =>
  badInput([
    { path: '/name', message: `Somebody is called “${name}” already, or was. Add something to the name.` },
  ]);
