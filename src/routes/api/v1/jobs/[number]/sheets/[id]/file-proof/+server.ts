import type { RequestHandler } from '@sveltejs/kit';
import { readBody } from '$lib/server/body';
import { onSheet } from '$lib/server/onSheet';
import { saveFileProof } from '$lib/server/proofs';

/** Keeps what came of comparing two manifests; they themselves are compared in the browser and stay there. */
export const POST: RequestHandler = ({ request, params }) =>
  onSheet(params, async (job, sheet) => {
    const body = await readBody(request, 'file-proof');
    return body.ok
      ? saveFileProof(job.number, body.value.version, sheet.id, body.value.proof)
      : body.response;
  });
