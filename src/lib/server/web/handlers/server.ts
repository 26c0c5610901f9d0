import { json, text } from '@sveltejs/kit';
import { SCHEMAS } from '$contract/documents';
import { openapi } from '$contract/openapi';
import { refuse } from '$contract/problems';
import type { EVENTS, MONITORING } from '$contract/server';
import { success } from '$core/problem';
import { presenceOf } from '../../people/presence';
import { requester } from '../../platform/requester';
import { streamWorkshopEvents } from '../feed/stream';
import { figures } from '../monitor/figures';
import { canWork, checkReadiness } from '../monitor/readiness';
import type { HandlersOf } from '../runner/endpoint';

/** `x-accel-buffering`: what stands in front of the server hands each event on as it comes. */
const STREAM = {
  'content-type': 'text/event-stream',
  'cache-control': 'no-store',
  'x-accel-buffering': 'no',
};

export const SERVER_HANDLERS = {
  'GET /events': async ({ event: { request } }) => {
    // Whoever asks for the head alone hears no events, and would wait for their end.
    if (request.method === 'HEAD') return success(new Response(null, { headers: STREAM }));
    const stream = streamWorkshopEvents(presenceOf(requester()), request.signal);
    return stream ? success(new Response(stream, { headers: STREAM })) : refuse('too-many-watching');
  },
  'GET /openapi.json': async () => success(openapi),
  'GET /healthz': async () => success(text('ok\n')),
  /** Owners read the faults in words (Settings); this answer says only whether there are any. */
  'GET /readyz': async () => {
    const found = await checkReadiness();
    const well = Object.fromEntries(Object.entries(found).map(([what, problem]) => [what, problem === null]));
    return success(json(well, { status: (await canWork(found)) ? 200 : 503 }));
  },
  'GET /metrics': async () =>
    success(new Response(await figures.metrics(), { headers: { 'content-type': figures.contentType } })),
  'GET /schemas/{name}.json': async ({ params, typed }) => {
    const schema = Object.hasOwn(SCHEMAS, params.name) ? SCHEMAS[params.name] : undefined;
    if (!schema) return refuse('no-schema', { name: typed.name, known: Object.keys(SCHEMAS).join(', ') });
    const headers = { 'content-type': 'application/schema+json' };
    return success(new Response(JSON.stringify(schema, null, 2), { headers }));
  },
} satisfies HandlersOf<typeof EVENTS & typeof MONITORING>;
