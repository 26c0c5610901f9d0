import { randomBytes } from 'node:crypto';
import { isRedirect, type RequestEvent } from '@sveltejs/kit';
import { Counter, Histogram } from 'prom-client';
import { log } from '../../platform/log';
import { figures } from './figures';

const requests = new Counter({
  name: 'gentle_tide_requests_total',
  help: 'Requests that were answered, by route, method and hundred of the status',
  labelNames: ['route', 'method', 'status'] as const,
  registers: [figures],
});
const seconds = new Histogram({
  name: 'gentle_tide_request_seconds',
  help: 'Seconds until the answer began',
  labelNames: ['method'] as const,
  buckets: [0.005, 0.02, 0.05, 0.1, 0.25, 0.5, 1, 3, 10],
  registers: [figures],
});

/** Sixty bits, as the log, the answer and a sentence on the screen name a request. */
export const requestId = (): string => randomBytes(8).toString('base64url').slice(0, 10);

const KNOWN = new Set(['GET', 'HEAD', 'POST', 'PUT', 'PATCH', 'DELETE', 'OPTIONS']);
const WRITES = new Set(['POST', 'PUT', 'PATCH', 'DELETE']);

/** Counts a request and writes it to the log: changes at `info`, all else at `debug`, what failed here at `warn`. */
export async function counted(
  event: RequestEvent,
  answer: () => Response | Promise<Response>,
): Promise<Response> {
  const began = performance.now();
  const { request, route, url, locals } = event;
  const method = KNOWN.has(request.method) ? request.method : 'other';
  const note = (status: number): void => {
    const took = (performance.now() - began) / 1000;
    // Routes are few, whatever addresses are asked for.
    requests.inc({ route: route.id ?? 'none', method, status: `${Math.floor(status / 100)}xx` });
    seconds.observe({ method }, took);
    const level = status >= 500 ? 'warn' : WRITES.has(method) ? 'info' : 'debug';
    log[level](
      { request: locals.requestId, method, path: url.pathname, status, ms: Math.round(1000 * took) },
      'request',
    );
  };
  try {
    const response = await answer();
    note(response.status);
    return response;
  } catch (error) {
    note(isRedirect(error) ? error.status : 500);
    throw error;
  }
}
