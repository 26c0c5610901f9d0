import type { RequestHandler } from '@sveltejs/kit';
import { proveLayout } from '$core/proof';
import { checkSurvey } from '$core/survey';
import { readBody } from '$lib/server/door/body';
import { onSheet } from '$lib/server/onSheet';
import { under } from '$lib/server/paths';
import { badInput } from '$lib/server/problem';
import { saveLayoutProof } from '$lib/server/proofs';
import { surveyOf } from '$lib/server/sheets';

/** Holds a survey taken after the work against the sheet, and keeps both. */
export const POST: RequestHandler = ({ request, params }) =>
  onSheet(params, async (job, sheet) => {
    const body = await readBody(request, 'layout-proof');
    if (!body.ok) return body.response;
    const { version, survey } = body.value;
    const problems = checkSurvey(survey);
    if (problems.length > 0) return badInput(under('/survey', problems));
    const proof = proveLayout(sheet.document, await surveyOf(sheet), survey);
    if (!proof.ok) return badInput(under('/survey', proof.problems));
    return saveLayoutProof(job.number, version, sheet, survey, proof.value);
  });
