import { json, type RequestHandler } from '@sveltejs/kit';
import { noKit, onJob } from '$lib/server/answers';
import { readBody } from '$lib/server/door/body';
import { createDrawing, listDrawings } from '$lib/server/drawings';
import { badInput, problem } from '$lib/server/problem';
import { missingKit, readWorkshop } from '$lib/server/workshop';

/** The drawings of a job. */
export const GET: RequestHandler = ({ params }) =>
  onJob(params['number'], async (job) => json(await listDrawings(job.number)));

/** Begins a drawing, empty or with what is in it already. */
export const POST: RequestHandler = ({ request, params }) =>
  onJob(params['number'], async (job) => {
    const body = await readBody(request, 'new-drawing');
    if (!body.ok) return body.response;
    if (!job.survey) return problem(422, 'This job has no survey yet. Give it one first.');
    const { name, states, position } = body.value;
    if (position >= states.length) {
      return badInput([
        { path: '/position', message: `There is no state ${position}: there are ${states.length}.` },
      ]);
    }
    const kit = missingKit((await readWorkshop()).workshop, states);
    if (kit !== null) return noKit(kit);
    return json({ id: await createDrawing(job.number, name, states, position), edition: 1 }, { status: 201 });
  });
