import { refuse } from '$contract/problems';
import type { Rehearsal, REHEARSALS } from '$contract/rehearsals';
import { success, type Outcome } from '$core/problem';
import { findJob } from '../../work/jobs/findJob';
import { commandRehearsal } from '../../work/rehearsals/commandRehearsal';
import { findRehearsal, listRehearsals, proofOf } from '../../work/rehearsals/rehearsals';
import { startRehearsal } from '../../work/rehearsals/start';
import { watch } from '../../work/rehearsals/watch';
import { readWorkshop } from '../../work/workshop/workshop';
import type { HandlersOf } from '../runner/endpoint';

async function rehearsalAt(number: number, id: number, typed: string): Promise<Outcome<Rehearsal>> {
  const rehearsal = await findRehearsal(number, id);
  return rehearsal ? success(rehearsal) : refuse('no-rehearsal', { job: number, id: typed });
}

export const REHEARSAL_HANDLERS = {
  'GET /jobs/{number}/rehearsals': async ({ params }) => success(await listRehearsals(params.number)),
  'POST /jobs/{number}/rehearsals': async ({ params: { number }, body }) => {
    const job = await findJob(number, ['survey', 'goal', 'answer']);
    if (!job) return refuse('no-job', { number });
    const started = await startRehearsal(job, body, (await readWorkshop()).workshop);
    return started.ok ? rehearsalAt(number, started.value, String(started.value)) : started;
  },
  'GET /jobs/{number}/rehearsals/{id}': ({ params, typed }) =>
    rehearsalAt(params.number, params.id, typed.id),
  'PUT /jobs/{number}/rehearsals/{id}': ({ params, body }) =>
    commandRehearsal(params.number, params.id, body.wish),
  'GET /jobs/{number}/rehearsals/{id}/events': async ({ params, typed, event }) => {
    const rehearsal = await rehearsalAt(params.number, params.id, typed.id);
    if (!rehearsal.ok) return rehearsal;
    const stream = watch(params.number, rehearsal.value.id, event.request.signal);
    if (!stream) return refuse('too-many-watching');
    const headers = { 'content-type': 'text/event-stream', 'cache-control': 'no-store' };
    return success(new Response(stream, { headers }));
  },
  'GET /jobs/{number}/rehearsals/{id}/proof': async ({ params: { number, id }, typed }) => {
    const rehearsal = await rehearsalAt(number, id, typed.id);
    if (!rehearsal.ok) return rehearsal;
    const proof = await proofOf(number, id);
    if (!proof) return refuse('no-proof', { id });
    return success(
      new Response(`${JSON.stringify(proof, null, 2)}\n`, {
        headers: {
          'content-type': 'application/json',
          'content-disposition': `attachment; filename="rehearsal-${number}-${id}.json"`,
        },
      }),
    );
  },
} satisfies HandlersOf<typeof REHEARSALS>;
