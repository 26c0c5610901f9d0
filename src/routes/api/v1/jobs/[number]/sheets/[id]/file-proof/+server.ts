import type { RequestHandler } from '@sveltejs/kit';
import { fileProofProblem } from '$core/proof';
import { machineOf } from '$core/survey';
import { readBody } from '$lib/server/door/body';
import { onSheet } from '$lib/server/onSheet';
import { under } from '$lib/server/paths';
import { badInput } from '$lib/server/problem';
import { saveFileProof } from '$lib/server/proofs';
import { surveyOf } from '$lib/server/sheets';

/**
 * Keeps what came of comparing two manifests; they themselves are compared in the browser and stay there, so what is kept is held
 * against what can be told without them.
 */
export const POST: RequestHandler = ({ request, params }) =>
  onSheet(params, async (job, sheet) => {
    const body = await readBody(request, 'file-proof');
    if (!body.ok) return body.response;
    const { version, proof } = body.value;
    const wrong = fileProofProblem(proof, machineOf(await surveyOf(sheet)).disks);
    return wrong ? badInput(under('/proof', [wrong])) : saveFileProof(job.number, version, sheet.id, proof);
  });
