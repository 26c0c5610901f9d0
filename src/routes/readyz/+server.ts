import { json, type RequestHandler } from '@sveltejs/kit';
import { canWork, readiness } from '$lib/server/monitor/readiness';

/** Whether the server can work now. What is wrong is told to owners in words (Settings); here only whether something is. */
export const GET: RequestHandler = async () => {
  const found = await readiness();
  const well = Object.fromEntries(Object.entries(found).map(([what, problem]) => [what, problem === null]));
  return json(well, { status: (await canWork(found)) ? 200 : 503 });
};
