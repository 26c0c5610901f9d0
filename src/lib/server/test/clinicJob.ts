import { createJob } from '../work/jobs/changeJob';
import { findWholeJob } from '../work/jobs/findJob';
import { saveSurvey } from '../work/surveys/saveSurvey';
import { randomUUID } from 'node:crypto';
import type { Choice } from '$core/holdings';
import { unwrap } from '$core/problem';
import { clinic } from '$core/test/clinic';
import { clinicHoldings } from '$core/test/clinicHoldings';
import { GIB } from '$core/units';
import type { Tick } from '$core/worksheet';
import { saveGoal } from '../work/goals/goals';
import { planGoal } from '../work/goals/planGoal';
import { findSheet, saveSheet, sheetFor } from '../work/sheets/sheets';
import { weigh } from '../work/holdings/weigh';

const [windows, archive] = ['C', 'D'].map(
  (name) => clinic().disks[0]!.partitions.find(({ letter }) => letter === name)!.number,
) as [number, number];
export const FIRSTLY: Choice[] = [
  {
    disk: 0,
    partition: windows,
    goes: ['earlier-windows'],
    moves: [{ path: '\\Users\\ida\\Pictures', to: { disk: 0, partition: archive } }],
  },
];

/** The clinic's job with a goal and its routes; its number. @param firstly something goes and something moves before */
export async function planned(firstly = false): Promise<number> {
  const number = await createJob('Tern Street Clinic', 'X-ray viewer');
  const found = unwrap(weigh({ survey: clinic(), holdings: clinicHoldings() }));
  unwrap(
    await saveSurvey(number, 1, clinic(), 'document', firstly ? { holdings: found, choices: FIRSTLY } : {}),
  );
  const job = (await findWholeJob(number))!;
  const goal = await planGoal(
    job,
    { size: 200 * GIB, keepFreePercent: 10, options: { kits: ['offline-mover'] } },
    {},
  );
  if (!goal.ok) throw new Error('the clinic has routes');
  unwrap(await saveGoal(number, job.version, goal.value));
  return number;
}
/** The same with the work sheet of its first route. */
export async function withSheet(firstly = false) {
  const number = await planned(firstly);
  const job = (await findWholeJob(number))!;
  const made = await sheetFor(job, {}, null);
  if (!made.ok) throw new Error(made.problems[0]!.message);
  unwrap(await saveSheet(number, job.version, made.value));
  return { number, sheet: (await findSheet(number))! };
}
/** Something ticked off. */
export const tick = (item: string, more: Partial<Tick> = {}): Tick => ({
  id: randomUUID(),
  item,
  outcome: 'done',
  who: 'Ida',
  at: '2026-11-20T10:00:00.000Z',
  note: '',
  seconds: null,
  answers: { where: 'shelf', when: 'today', read: 'opened', key: 'here' },
  ...more,
});
