import { json, type RequestHandler } from '@sveltejs/kit';
import { onSheet, whyStale } from '$lib/server/onSheet';
import { findProofs } from '$lib/server/proofs';

/** A work sheet with everything ticked on it and proved of it. `stale` says why it must not be worked from, or null. */
export const GET: RequestHandler = ({ params }) =>
  onSheet(params, async (job, sheet) =>
    json({ ...sheet, stale: (await whyStale(job, sheet))?.why ?? null, proofs: await findProofs(sheet.id) }),
  );
