import type { RequestHandler } from '@sveltejs/kit';
import { jobNumber, named } from '$lib/server/answers';
import { transaction } from '$lib/server/database';
import { recordAtBench } from '$lib/server/history/history';
import { onPerson } from '$lib/server/people/answers';
import { endDevice } from '$lib/server/people/devices';
import { problem } from '$lib/server/problem';

/** A device that was stolen, lost or given away. */
export const DELETE: RequestHandler = ({ params }) =>
  onPerson(async () => {
    const name = await transaction(async (db) => {
      const ended = await endDevice(db, jobNumber(params['id']) ?? 0);
      if (ended !== null) await recordAtBench(db, `The device “${ended}” is known here no more.`);
      return ended;
    });
    return name === null
      ? problem(404, `There is no device ${named(params['id'])}, or it is known no more already.`)
      : new Response(null, { status: 204 });
  });
