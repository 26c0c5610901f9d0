import { parentPort } from 'node:worker_threads';
import { planRoutes } from '$core/planning';
import type { Asked, Answered } from './plannerThread';

/** Plans in a thread of its own, one request after the other: see {@link ./aside}. */
parentPort?.on('message', ({ id, request }: Asked) => {
  const said: Answered = { id, outcome: planRoutes(request) };
  parentPort?.postMessage(said);
});
