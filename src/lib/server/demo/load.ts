import { archiveJob, createJob, saveDetails } from '../work/jobs/changeJob';
import { findWholeJob } from '../work/jobs/findJob';
import { saveSurvey } from '../work/surveys/saveSurvey';
import { planGoal } from '../work/goals/planGoal';
import { change, database, rows } from '../store/database/database';
import { unwrap } from '$core/problem';
import { weighed } from '../work/holdings/holdings';
import { saveGoal } from '../work/goals/goals';
import { readWorkshop } from '../work/workshop/workshop';
import { demoHoldings } from './holdings';
import { DEMO_JOBS, type DemoJob } from './machines';
import { addDemoWork } from './work';

const MARKER = 'demo-data';

/** Gives a demo job its surveys, the earlier ones first, with what fills its volumes. @returns its version then */
async function surveysOf({ number, survey, earlier, archived }: DemoJob): Promise<number> {
  let { version } = (await findWholeJob(number))!;
  for (const one of earlier) version = unwrap(await saveSurvey(number, version, one, 'document'));
  const holdings = demoHoldings(number, survey);
  const found = holdings && unwrap(await weighed(survey, holdings));
  version = unwrap(await saveSurvey(number, version, survey, 'document', { holdings: found }));
  return archived ? unwrap(await archiveJob(number, version, true)) : version;
}

/**
 * Loads the demo jobs once in a database's life. A load that was cut short is done over; a database that
 * already holds jobs of its own is left alone.
 */
export async function loadDemoData(): Promise<boolean> {
  const db = database();
  if ((await rows(db, 'SELECT name FROM markers WHERE name = ?', [MARKER])).length > 0) return false;
  const numbers = DEMO_JOBS.map((job) => job.number);
  const places = numbers.map(() => '?').join(', ');
  const others = await rows(db, `SELECT id FROM jobs WHERE number NOT IN (${places}) LIMIT 1`, numbers);
  if (others.length === 0) {
    await change(db, `DELETE FROM jobs WHERE number IN (${places})`, numbers);
    const { workshop } = await readWorkshop();
    for (const demo of DEMO_JOBS) {
      await createJob(demo.customer, demo.machine, demo.number);
      const { customer, machine, notes = '', due = null } = demo;
      if (notes !== '' || due !== null)
        unwrap(await saveDetails(demo.number, 1, { customer, machine, notes, due }));
      const version = await surveysOf(demo);
      const job = await findWholeJob(demo.number);
      if (!job || demo.goal === undefined) continue;
      const goal = { size: demo.goal, keepFreePercent: 10, options: {} };
      const planned = unwrap(await planGoal(job, goal, workshop));
      unwrap(await saveGoal(demo.number, version, planned));
      if (demo.work) await addDemoWork(demo.number, demo.work);
    }
  }
  await change(db, 'INSERT INTO markers (name) VALUES (?)', [MARKER]);
  return others.length === 0;
}
