import { numberIn } from '$lib/server/web/runner/numberIn';
import { error, redirect } from '@sveltejs/kit';
import { findDrawing } from '$lib/server/work/drawings/drawings';
import { findSurvey } from '$lib/server/work/surveys/surveys';
import { missingKit, readWorkshop } from '$lib/server/work/workshop/workshop';
import type { PageServerLoad } from './$types';

/** A drawing is shown on the survey that it was drawn on, whether or not a newer one came. */
export const load: PageServerLoad = async ({ parent, params }) => {
  const { job } = await parent();
  if (!job.survey || !job.target) redirect(307, `/jobs/${params.number}/survey`);
  if (!job.goal) redirect(307, `/jobs/${params.number}/target`);
  const drawing = await findDrawing(job.number, numberIn(params.id));
  if (!drawing) {
    error(404, {
      message: `Job ${job.number} has no drawing ${params.id}.`,
      hint: 'The Route screen lists its drawings.',
    });
  }
  // What goes to another disk is not drawn on the board of this one.
  if (drawing.states[drawing.position]?.onto !== undefined)
    redirect(307, `/jobs/${params.number}/diagnosis/larger-disk`);
  const shop = await readWorkshop();
  const kit = missingKit(shop.workshop, drawing.states);
  if (kit !== null) {
    error(409, {
      message: `This drawing is for the kit “${kit}”, which is not among this workshop’s kits any more.`,
      hint: 'Describe the kit again in the settings, or throw the drawing away on the Route screen.',
    });
  }
  const stale = drawing.surveyId !== job.survey.id;
  const document = stale ? await findSurvey(job.number, drawing.surveyId) : null;
  return { ...shop, drawing, stale, document };
};
