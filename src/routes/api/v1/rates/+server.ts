import { json, type RequestHandler } from '@sveltejs/kit';
import { measuredRates } from '$core/proof';
import { measuredRuns } from '$lib/server/proofs';

/** What was measured at this bench: every run, and rates per medium in MiB/s. */
export const GET: RequestHandler = async () => {
  const runs = await measuredRuns();
  return json({ runs, rates: measuredRates(runs) });
};
