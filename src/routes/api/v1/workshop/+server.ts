import { json, type RequestHandler } from '@sveltejs/kit';
import { readBody } from '$lib/server/door/body';
import { badInput, problem } from '$lib/server/problem';
import { StaleCopy } from '$lib/server/staleCopy';
import { checkWorkshop, readWorkshop, saveWorkshop } from '$lib/server/workshop';

export const GET: RequestHandler = async () => json(await readWorkshop());

/** Keeps the workshop's own tools, kits and rates. */
export const PUT: RequestHandler = async ({ request }) => {
  const body = await readBody(request, 'save-workshop');
  if (!body.ok) return body.response;
  const { version, workshop } = body.value;
  const checked = checkWorkshop(workshop);
  if (!checked.ok) {
    return badInput(checked.problems.map((one) => ({ ...one, path: `/workshop${one.path}` })));
  }
  try {
    return json({ version: await saveWorkshop(version, workshop) });
  } catch (error) {
    if (!(error instanceof StaleCopy)) throw error;
    const detail =
      'The settings were saved by somebody else after they were opened here. Nothing was overwritten.';
    return problem(409, detail, { current: error.current });
  }
};
