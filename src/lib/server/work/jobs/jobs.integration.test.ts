import { unwrap } from '$core/problem';
import { createJob } from './changeJob';
import { findWholeJob } from './findJob';
import { saveSurvey } from '../surveys/saveSurvey';
import { saveTarget } from '../surveys/target';
import { JOB_SORTS, type JobSummary } from '$contract/jobs';
import { afterAll, beforeAll, beforeEach, describe, expect, it } from 'vitest';
import { clinic } from '$core/test/clinic';
import { GIB } from '$core/units';
import { change, closeDatabase, database, rows } from '../../store/database/database';
import { loadDemoData } from '../../demo/load';
import { DEMO_JOBS } from '../../demo/machines';
import { planGoal } from '../goals/planGoal';
import { saveGoal, chooseRoute } from '../goals/goals';
import { EVERY_JOB, listJobs } from './jobList';
import { migrate } from '../../store/migrate/migrate';
import { checkWorkshop, readWorkshop, saveWorkshop } from '../workshop/workshop';

beforeAll(async () => {
  await migrate();
});
beforeEach(async () => {
  await change(database(), 'DELETE FROM jobs');
  await change(database(), 'DELETE FROM markers');
});
afterAll(() => closeDatabase());

const newJob = async () => {
  const number = await createJob('Tern Street Clinic', 'X-ray viewer');
  return { number, version: unwrap(await saveSurvey(number, 1, clinic(), 'document')) };
};

describe('pages of the list', () => {
  it.each(JOB_SORTS)('by %s hold every job once, among equals too', async (sort) => {
    const all: number[] = [];
    for (let i = 0; i < 12; i++) all.push(await createJob('Salt Pan Library', 'catalogue'));
    // Changed and due at the same moment, all of them.
    await change(database(), "UPDATE jobs SET updated_at = '2026-11-20 09:30:00.000', due = '2026-11-30'");
    const pages: number[][] = [];
    for (let page = 1; page <= 4; page++) {
      const { jobs, total } = await listJobs({ ...EVERY_JOB, sort, size: 5, page });
      expect(total).toBe(12);
      pages.push(jobs.map(({ number }) => number));
    }
    expect(pages.map((page) => page.length)).toEqual([5, 5, 2, 0]);
    // The newest first, whatever else they are ordered by.
    expect(pages.flat()).toEqual(all.toReversed());
  });

  it('begin with what was changed last', async () => {
    const numbers = [];
    for (let i = 0; i < 3; i++) numbers.push(await createJob('Pinwheel Bakery', 'till'));
    await change(database(), 'UPDATE jobs SET updated_at = updated_at + INTERVAL 1 MINUTE WHERE number = ?', [
      numbers[1]!,
    ]);
    const { jobs } = await listJobs({ ...EVERY_JOB, sort: 'changed' });
    expect(jobs.map(({ number }) => number)).toEqual([numbers[1], numbers[2], numbers[0]]);
  });
});

describe('the database', () => {
  it('is brought up to date once; a second time there is nothing to do', async () =>
    expect(await migrate()).toBe(0));

  it('is strict, in UTC, and does not let the application in as root', async () => {
    const [settings] = await rows<{ mode: string; zone: string; me: string; charset: string }>(
      database(),
      'SELECT @@SESSION.sql_mode AS mode, @@SESSION.time_zone AS zone, CURRENT_USER() AS me, @@character_set_connection AS charset',
    );
    expect(settings!.mode).toContain('STRICT_ALL_TABLES');
    expect(settings!).toMatchObject({ zone: '+00:00', charset: 'utf8mb4' });
    expect(settings!.me).not.toContain('root');
    await expect(rows(database(), 'SELECT * FROM mysql.global_priv')).rejects.toThrow(/denied/);
  });

  it('refuses what is too long instead of cutting it', () =>
    expect(createJob('x'.repeat(300), 'y')).rejects.toThrow(/too long/));
});

describe('jobs', () => {
  it('keep the whole survey document, unknown fields too, and name the Windows volume as target', async () => {
    const number = await createJob('Pinwheel Bakery', 'till – “Röhre” 🥐');
    const survey = { ...clinic(), extra: { kept: [1, 'ü'] } };
    unwrap(await saveSurvey(number, 1, survey, 'image'));
    const job = await findWholeJob(number);
    expect(job!.survey!.document).toEqual(survey);
    expect(job).toMatchObject({
      machine: 'till – “Röhre” 🥐',
      version: 2,
      target: { disk: 0, partition: 3 },
    });
  });

  it('reach stages as they are worked on, and go stale without losing anything', async () => {
    const stage = async () => {
      const [{ stage, stale, goal }] = (await listJobs()).jobs as [JobSummary];
      return { stage, stale, goal };
    };
    const number = await createJob('Driftwood Radio', 'studio');
    expect(await stage()).toEqual({ stage: 'survey', stale: false, goal: null });
    unwrap(await saveSurvey(number, 1, clinic(), 'document'));
    expect(await stage()).toEqual({ stage: 'diagnosis', stale: false, goal: null });

    const ask = async (size: number) => {
      const job = (await findWholeJob(number))!;
      const planned = await planGoal(job, { size, keepFreePercent: 10, options: {} }, {});
      if (!planned.ok) throw new Error(planned.problems[0]!.message);
      unwrap(await saveGoal(number, job.version, planned.value));
    };
    await ask(900 * GIB);
    expect(await stage()).toEqual({ stage: 'target', stale: false, goal: 900 * GIB });
    await ask(200 * GIB);
    expect(await stage()).toEqual({ stage: 'route', stale: false, goal: 200 * GIB });

    unwrap(await saveSurvey(number, 4, clinic(), 'document'));
    expect(await stage()).toEqual({ stage: 'diagnosis', stale: true, goal: null });
    const job = (await findWholeJob(number))!;
    expect(job.goal).toMatchObject({ size: 200 * GIB, stale: true });
    expect(job.answer!.routes.length).toBeGreaterThan(1);
  });

  it('keep which route was chosen, and refuse one that is not there', async () => {
    const { number } = await newJob();
    const job = (await findWholeJob(number))!;
    const planned = await planGoal(job, { size: 200 * GIB, keepFreePercent: 10, options: {} }, {});
    if (!planned.ok) throw new Error('the clinic has routes');
    const version = unwrap(await saveGoal(number, job.version, planned.value));
    expect(await chooseRoute(number, version, 99)).toMatchObject({ problems: [{ code: 'no-route-there' }] });
    unwrap(await chooseRoute(number, version, 1));
    expect((await findWholeJob(number))!.chosen).toBe(1);
    expect((await listJobs()).jobs[0]!.routeTitle).toBe(planned.value.answer.routes[1]!.title);
  });

  it('go stale when the tools or rates that they were planned with change, and not by others', async () => {
    const { number } = await newJob();
    const rates = {
      copying: {
        hdd: { low: 1, high: 2 },
        'sata-ssd': { low: 1, high: 2 },
        nvme: { low: 1, high: 2 },
        virtual: { low: 1, high: 2 },
      },
      step: { low: 1, high: 2 },
      restart: { low: 1, high: 2 },
    };
    const stale = async () => (await findWholeJob(number))!.goal!.stale;
    const job = (await findWholeJob(number))!;
    const { version, workshop } = await readWorkshop();
    const planned = await planGoal(job, { size: 200 * GIB, keepFreePercent: 10, options: {} }, workshop);
    if (!planned.ok) throw new Error('the clinic has routes');
    unwrap(await saveGoal(number, job.version, planned.value));
    expect(await stale()).toBe(false);
    const kits = [{ id: 'ours', name: 'Ours', tools: ['windows'] }];
    unwrap(await saveWorkshop(version, { kits }));
    expect(await stale()).toBe(false);
    expect(await saveWorkshop(version, {})).toMatchObject({ problems: [{ code: 'stale-workshop' }] });
    unwrap(await saveWorkshop(version + 1, { kits, rates }));
    expect(await stale()).toBe(true);
    unwrap(await saveWorkshop(version + 2, {}));
    expect(await stale()).toBe(false);
    expect(checkWorkshop({ kits: [{ id: 'x', name: 'X', tools: ['nobody'] }] }).ok).toBe(false);
  });

  it('refuse a save made on a stale copy, and keep nothing of it', async () => {
    const { number, version } = await newJob();
    unwrap(await saveTarget(number, version, { disk: 0, partition: 5 }));
    expect(await saveSurvey(number, version, clinic(), 'document')).toMatchObject({
      problems: [{ code: 'stale-job', details: { current: version + 1 } }],
    });
    expect(await rows(database(), 'SELECT id FROM surveys')).toHaveLength(1);
  });

  it('let exactly one of two simultaneous saves through', async () => {
    const { number, version } = await newJob();
    const saves = await Promise.all(
      [5, 3].map((partition) => saveTarget(number, version, { disk: 0, partition })),
    );
    expect(saves.map(({ ok }) => ok).sort()).toEqual([false, true]);
  });

  it('get numbers of their own even when added at once', async () => {
    const numbers = await Promise.all(Array.from({ length: 24 }, (_, n) => createJob(`${n}`, 'm')));
    expect(new Set(numbers).size).toBe(24);
  });

  it('save nothing where the target is not on the survey', async () => {
    const { number, version } = await newJob();
    expect(await saveTarget(number, version, { disk: 0, partition: 99 })).toMatchObject({
      problems: [{ code: 'no-partition' }],
    });
    expect((await findWholeJob(number))!.version).toBe(version);
  });
});

describe('demo data', () => {
  it('is loaded once, with a job at every stage but the first and the last but one', async () => {
    expect(await loadDemoData()).toBe(true);
    expect(await loadDemoData()).toBe(false);
    const { jobs } = await listJobs();
    expect(jobs.map((job) => job.number)).toEqual([2614, 2613, 2612, 2611, 2610, 2609, 2608, 2607]);
    const full = jobs.filter((job) => job.target!.used! / job.target!.size > 0.9);
    // The target of the one that was proved has room by now.
    expect(full).toHaveLength(7);
    expect(new Set(jobs.map((job) => job.stage))).toEqual(
      new Set(['diagnosis', 'target', 'route', 'sheet', 'done']),
    );
  });

  it('is done over after a load that was cut short, and never mixed into a workshop’s own jobs', async () => {
    await createJob('half', 'loaded', DEMO_JOBS[0]!.number);
    expect(await loadDemoData()).toBe(true);
    expect((await listJobs()).jobs).toHaveLength(DEMO_JOBS.filter(({ archived }) => !archived).length);

    await change(database(), 'DELETE FROM jobs');
    await change(database(), 'DELETE FROM markers');
    await createJob('A real customer', 'of this workshop');
    expect(await loadDemoData()).toBe(false);
    expect((await listJobs()).jobs).toHaveLength(1);
  });
});
