import { json, type RequestHandler } from '@sveltejs/kit';
import { jobNumber, named, noKit, onJob } from '$lib/server/answers';
import { readBody } from '$lib/server/door/body';
import { deleteDrawing, findDrawing, NoSuchDrawing, saveDrawing } from '$lib/server/drawings';
import { problem } from '$lib/server/problem';
import { StaleCopy } from '$lib/server/staleCopy';
import { missingKit, readWorkshop } from '$lib/server/workshop';

const none = (job: number, id: string | undefined): Response =>
  problem(404, `Job ${job} has no drawing ${named(id)}.`);

/** A drawing with every state that it was in. */
export const GET: RequestHandler = ({ params }) =>
  onJob(params['number'], async (job) => {
    const drawing = await findDrawing(job.number, jobNumber(params['id']) ?? 0);
    return drawing ? json(drawing) : none(job.number, params['id']);
  });

/** Saves what changed in it. */
export const PUT: RequestHandler = ({ request, params }) =>
  onJob(params['number'], async (job) => {
    const body = await readBody(request, 'save-drawing');
    if (!body.ok) return body.response;
    const kit = missingKit((await readWorkshop()).workshop, body.value.add);
    if (kit !== null) return noKit(kit);
    try {
      const edition = await saveDrawing(job.number, jobNumber(params['id']) ?? 0, body.value);
      return json({ edition });
    } catch (error) {
      if (error instanceof NoSuchDrawing) return none(job.number, params['id']);
      if (!(error instanceof StaleCopy)) throw error;
      const detail = 'Another window changed this drawing after it was opened here. Nothing was overwritten.';
      return problem(409, detail, { current: error.current });
    }
  });

export const DELETE: RequestHandler = ({ params }) =>
  onJob(params['number'], async (job) => {
    const gone = await deleteDrawing(job.number, jobNumber(params['id']) ?? 0);
    return gone ? new Response(null, { status: 204 }) : none(job.number, params['id']);
  });
