import type { WORKSHOP } from '$contract/workshop';
import { computeMeasuredRates } from '$core/proof';
import { failure, success, under } from '$core/problem';
import { readMeasuredRuns } from '../../work/sheets/proofs';
import { checkWorkshop, readWorkshop, saveWorkshop } from '../../work/workshop/workshop';
import type { HandlersOf } from '../runner/endpoint';

export const WORKSHOP_HANDLERS = {
  'GET /rates': async () => {
    const runs = await readMeasuredRuns();
    return success({ runs, rates: computeMeasuredRates(runs) });
  },
  'GET /workshop': async () => success(await readWorkshop()),
  'PUT /workshop': async ({ body: { version, workshop } }) => {
    const checked = checkWorkshop(workshop);
    if (!checked.ok) return failure(...under('/workshop', checked.problems));
    const saved = await saveWorkshop(version, workshop);
    return saved.ok ? success({ version: saved.value }) : saved;
  },
} satisfies HandlersOf<typeof WORKSHOP>;
