import { randomUUID } from 'node:crypto';
import { clinic } from '$core/test/clinic';
import { GIB } from '$core/units';
import type { Tick } from '$core/worksheet';
import { saveGoal } from '../goals';
import { createJob, findJob, saveSurvey } from '../jobs';
import { planGoal } from '../planGoal';
import { findSheet, saveSheet, sheetFor } from '../sheets';

/** The clinic's job with a goal and its routes; its number. */
export async function planned(): Promise<number> {
  const number = await createJob('Tern Street Clinic', 'X-ray viewer');
  await saveSurvey(number, 1, clinic(), 'document');
  const job = (await findJob(number))!;
  const goal = await planGoal(
    job,
    { size: 200 * GIB, keepFreePercent: 10, options: { kits: ['offline-mover'] } },
    {},
  );
  if (!goal.ok) throw new Error('the clinic has routes');
  await saveGoal(number, job.version, goal.value);
  return number;
}
/** The same with the work sheet of its first route. */
export async function withSheet() {
  const number = await planned();
  const job = (await findJob(number))!;
  const made = await sheetFor(job, {}, null);
  if (!made.ok) throw new Error(made.problems[0]!.message);
  await saveSheet(number, job.version, made.value);
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
