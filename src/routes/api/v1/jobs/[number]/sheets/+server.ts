import { json, type RequestHandler } from '@sveltejs/kit';
import { onJob } from '$lib/server/answers';
import { readBody } from '$lib/server/door/body';
import { findDrawing } from '$lib/server/drawings';
import { badInput, problem } from '$lib/server/problem';
import { listSheets, saveSheet, sheetFor } from '$lib/server/sheets';
import { readWorkshop } from '$lib/server/workshop';

/** The work sheets of a job, newest first, without their documents. */
export const GET: RequestHandler = ({ params }) =>
  onJob(params['number'], async (job) => json(await listSheets(job.number)));

/** Makes the sheet of the chosen route, or of a drawing; one that went stale is refused with the reason. */
export const POST: RequestHandler = ({ request, params }) =>
  onJob(params['number'], async (job) => {
    const body = await readBody(request, 'new-sheet');
    if (!body.ok) return body.response;
    const { version, drawing: id } = body.value;
    const drawing = id === undefined ? null : await findDrawing(job.number, id);
    if (id !== undefined && !drawing) return problem(404, `Job ${job.number} has no drawing ${id}.`);
    const made = await sheetFor(job, (await readWorkshop()).workshop, drawing);
    return made.ok ? saveSheet(job.number, version, made.value) : badInput(made.problems);
  });
