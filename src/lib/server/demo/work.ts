import { findWholeJob } from '../work/jobs/findJob';
import { taskOf } from '$core/planning';
import { randomUUID } from 'node:crypto';
import { drawingOf, follow, surveyAt } from '$core/drawing';
import { unwrap } from '$core/problem';
import { proveLayout } from '$core/proof';
import { machineOf, type SurveyDocument } from '$core/survey';
import { itemsOf, type Item, type Tick } from '$core/worksheet';
import { requestFor } from '../work/goals/sheetSource';
import { saveLayoutProof } from '../work/sheets/proofs';
import { addTicks, findSheet, saveSheet, sheetFor } from '../work/sheets/sheets';
import { readWorkshop } from '../work/workshop/workshop';

const MINUTE = 60_000;

/** Makes the work sheet of a demo job and ticks off what was done of it; a finished one is proved as well. */
export async function addDemoWork(number: number, work: 'begun' | 'proved'): Promise<void> {
  const job = await findWholeJob(number);
  const { workshop } = await readWorkshop();
  const made = job && (await sheetFor(job, workshop, null));
  if (!job?.survey || !job.target || !job.goal || !made?.ok)
    throw new Error(`demo job ${number} has no sheet`);
  const version = unwrap(await saveSheet(number, job.version, made.value));
  const sheet = (await findSheet(number))!;
  const items = itemsOf(sheet.document);
  const begun = items.findIndex((item) => item.kind === 'step') + 1;
  unwrap(await addTicks(number, sheet.id, ticksOf(items.slice(0, work === 'begun' ? begun : undefined))));
  if (work === 'begun') return;

  const { document } = job.survey;
  const route = job.answer!.routes[job.chosen]!;
  const request = requestFor(document, { ...job.target, ...job.goal, tools: workshop });
  const task = taskOf(machineOf(document), { ...request, kits: [route.kit] });
  if (!task.ok) throw new Error(`demo job ${number} has no task`);
  const { results } = follow(task.value, task.value.kits[0]!, drawingOf(route));
  const after: SurveyDocument = {
    ...surveyAt(document, job.target.disk, task.value, results.at(-1)!.after),
    takenAt: new Date(Date.parse(document.takenAt) + 6 * 60 * MINUTE).toISOString().replace('.000', ''),
  };
  const proof = unwrap(proveLayout(sheet.document, document, after));
  unwrap(await saveLayoutProof(number, version, sheet, after, proof));
}

/** Notes of Ida of the Saltmarsh Bench. */
const ANSWERS: Record<string, string> = {
  where: 'bench store, shelf 2, GT-STORE-04',
  when: '2026-11-20, 08:40',
  read: 'opened it, looked at ten files of each volume',
  key: 'printed, in the job’s folder',
};

function ticksOf(items: readonly Item[]): Tick[] {
  let at = Date.parse('2026-11-20T10:00:00Z');
  return items.map((item): Tick => {
    const copied = item.bytes > 0;
    // A little slower than the middle of the estimate.
    const seconds = copied ? Math.round(item.waiting.low * 0.4 + item.waiting.high * 0.65) : null;
    at += 4 * MINUTE + (seconds ?? 0) * 1000;
    return {
      id: randomUUID(),
      item: item.id,
      outcome: 'done',
      who: 'Ida Brack',
      at: new Date(at).toISOString(),
      note: '',
      seconds,
      answers: Object.fromEntries(item.asks.map((ask) => [ask.id, ANSWERS[ask.id] ?? 'noted'])),
    };
  });
}
