import { json, type RequestHandler } from '@sveltejs/kit';
import { jobNumber, named } from '$lib/server/answers';
import { withBody } from '$lib/server/people/answers';
import { changePerson, LastOwner, NameTaken, NoSuchPerson } from '$lib/server/people/people';
import { badInput, problem } from '$lib/server/problem';
import { nameOf } from '$lib/server/requester';
import { StaleCopy } from '$lib/server/staleCopy';

/** Changes name and role, lets somebody go or takes them back. */
export const PUT: RequestHandler = ({ request, params }) =>
  withBody(request, 'save-person', async (body) => {
    const name = nameOf(body.name);
    try {
      return json({ version: await changePerson(jobNumber(params['id']) ?? 0, { ...body, name }) });
    } catch (error) {
      if (error instanceof NoSuchPerson)
        return problem(404, `There is nobody of number ${named(params['id'])}.`);
      if (error instanceof NameTaken)
        return badInput([{ path: '/name', message: `Somebody is called “${name}” already, or was.` }]);
      if (error instanceof LastOwner)
        return problem(409, 'This is the only owner who can sign in. Make somebody else owner first.', {
          title: 'Somebody has to let people in',
        });
      if (error instanceof StaleCopy)
        return problem(
          409,
          'Another owner changed this since the page was opened. Nothing was overwritten.',
          {
            current: error.current,
          },
        );
      throw error;
    }
  });
