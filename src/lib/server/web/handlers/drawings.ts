import type { DRAWINGS } from '$contract/drawings';
import { refuse } from '$contract/problems';
import { success } from '$core/problem';
import { takeFirstCharacters } from '$core/wellFormed';
import {
  createDrawing,
  deleteDrawing,
  findDrawing,
  listDrawings,
  saveDrawing,
} from '../../work/drawings/drawings';
import { findJob } from '../../work/jobs/findJob';
import { missingKit, readWorkshop } from '../../work/workshop/workshop';
import type { HandlersOf } from '../runner/endpoint';

/** The refusal of drawings for a kit that nobody has described; null: all are there. */
async function refuseMissingKit(states: readonly { kit: string }[]) {
  const kit = missingKit((await readWorkshop()).workshop, states);
  return kit === null ? null : refuse('no-kit', { kit: takeFirstCharacters(kit, 40) });
}

export const DRAWING_HANDLERS = {
  'GET /jobs/{number}/drawings': async ({ params }) => success(await listDrawings(params.number)),
  'POST /jobs/{number}/drawings': async ({ params: { number }, body: { name, states, position } }) => {
    const job = await findJob(number, []);
    if (!job?.surveyId) return refuse('survey-first', {});
    if (position >= states.length) return refuse('no-state', { position, states: states.length });
    const refused = await refuseMissingKit(states);
    if (refused) return refused;
    const id = await createDrawing(number, name, states, position);
    return id.ok ? success({ id: id.value, edition: 1 }) : id;
  },
  'GET /jobs/{number}/drawings/{id}': async ({ params: { number, id }, typed }) => {
    const drawing = await findDrawing(number, id);
    return drawing ? success(drawing) : refuse('no-drawing', { job: number, id: typed.id });
  },
  'PUT /jobs/{number}/drawings/{id}': async ({ params: { number, id }, body }) => {
    const refused = await refuseMissingKit(body.add);
    if (refused) return refused;
    const edition = await saveDrawing(number, id, body);
    return edition.ok ? success({ edition: edition.value }) : edition;
  },
  'DELETE /jobs/{number}/drawings/{id}': ({ params: { number, id } }) => deleteDrawing(number, id),
} satisfies HandlersOf<typeof DRAWINGS>;
