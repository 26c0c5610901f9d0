import { computeMeasuredRates } from '$core/proof';
import { readMeasuredRuns } from '$lib/server/work/sheets/proofs';
import { MAX_ROOM, getRehearsalFolder } from '$lib/server/work/rehearsals/supervisor';
import { sumRoomTaken } from '$lib/server/work/rehearsals/queue';
import { readWorkshop } from '$lib/server/work/workshop/workshop';
import type { PageServerLoad } from './$types';

/** The chart shows the newest runs; the rates count all of them. */
const SHOWN = 12;

export const load: PageServerLoad = async () => {
  const runs = await readMeasuredRuns();
  return {
    ...(await readWorkshop()),
    measured: computeMeasuredRates(runs),
    runs: runs.slice(0, SHOWN),
    standIns: { ...(await sumRoomTaken()), most: MAX_ROOM, folder: getRehearsalFolder() },
  };
};
