import { unwrap } from '$core/problem';
import { archiveJob, createJob, deleteJob, saveDetails } from '../jobs/changeJob';
import { findWholeJob } from '../jobs/findJob';
import { saveSurvey } from '../surveys/saveSurvey';
import { afterAll, beforeAll, beforeEach, describe, expect, it } from 'vitest';
import { drawingOf } from '$core/drawing';
import type { Outcome } from '$core/problem';
import { proveLayout } from '$core/proof';
import { clinic } from '$core/test/clinic';
import { GIB } from '$core/units';
import { itemsOf, stepsOf } from '$core/worksheet';
import { change, closeDatabase, database, rows } from '../../store/database/database';
import { createDrawing, findDrawing } from '../drawings/drawings';
import { planGoal } from '../goals/planGoal';
import { historyOf, readWorkshopHistory } from '../../store/history/history';
import { saveChoices } from '../holdings/holdings';
import { EVERY_JOB, listJobs } from '../jobs/jobList';
import { chooseRoute, saveGoal } from '../goals/goals';
import { migrate } from '../../store/migrate/migrate';
import { findProofs, saveLayoutProof } from './proofs';
import { runAsPerson } from '../../platform/requester';
import { addTicks, findSheet, saveSheet, sheetFor } from './sheets';
import { findStaleReason, workDespite } from './staleSheet';
import { FIRSTLY, planned, tick, withSheet } from '../../test/clinicJob';

beforeAll(async () => {
  await migrate();
});
beforeEach(() => change(database(), 'DELETE FROM jobs'));
afterAll(() => closeDatabase());

const stage = async (): Promise<string> => (await listJobs()).jobs[0]!.stage;
const code = (outcome: Outcome<unknown>): string | null => (outcome.ok ? null : outcome.problems[0]!.code);

describe('a work sheet', () => {
  it('takes a job through its stages as it is ticked off and proved', async () => {
    const { number, sheet } = await withSheet();
    expect(await stage()).toBe('sheet');
    const kept = await addTicks(
      number,
      sheet.id,
      itemsOf(sheet.document).map((item) => tick(item.id)),
    );
    expect(kept.ok).toBe(true);
    expect(await stage()).toBe('proof');
    const after = { ...clinic(), takenAt: '2026-11-22T10:00:00Z' };
    const proof = proveLayout(sheet.document, clinic(), after);
    if (!proof.ok) throw new Error(proof.problems[0]!.message);
    // Nothing was done to this machine at all: that is no proof.
    expect(proof.value.verdict).not.toBe('proved');
    unwrap(await saveLayoutProof(number, (await findWholeJob(number))!.version, sheet, after, proof.value));
    expect(await stage()).toBe('proof');
    expect((await findProofs(sheet.id)).layout?.proof).toEqual(proof.value);
    // The survey taken as proof is kept, and nothing is planned on it.
    expect((await findWholeJob(number))!.goal!.stale).toBe(false);
  });

  it('keeps a tick once however often it is sent, and takes them in any order', async () => {
    const { number, sheet } = await withSheet();
    const [first, second] = [tick('before-medium'), tick('before-power', { at: '2026-11-20T09:00:00.000Z' })];
    await Promise.all([
      addTicks(number, sheet.id, [first]),
      addTicks(number, sheet.id, [first, second]),
      addTicks(number, sheet.id, [second, first]),
    ]);
    expect((await findSheet(number))!.ticks.map((one) => one.id)).toEqual([second.id, first.id]);
    expect((await findWholeJob(number))!.sheet).toMatchObject({ done: 2, failed: null });
    await addTicks(number, sheet.id, [
      tick('before-power', { outcome: 'undone', at: '2026-11-20T11:00:00.000Z' }),
    ]);
    expect((await findWholeJob(number))!.sheet).toMatchObject({ done: 1 });
  });

  it('refuses a tick that lacks what must be written down, and keeps none of those sent with it', async () => {
    const { number, sheet } = await withSheet();
    const sent = [tick('before-medium'), tick('before-image', { answers: { where: 'shelf', when: ' ' } })];
    const refused = await addTicks(number, sheet.id, sent);
    expect(refused.ok ? null : refused.problems[0]).toMatchObject({
      code: 'no-answer',
      path: '/ticks/1/answers/when',
    });
    expect((await findSheet(number))!.ticks).toEqual([]);
    expect(code(await addTicks(number, sheet.id, [tick('step-99')]))).toBe('no-item');
  });

  it('goes stale with another goal or route, begun or not, and with a newer survey', async () => {
    const { number, sheet } = await withSheet();
    const stale = async () =>
      findStaleReason((await findWholeJob(number))!, (await findSheet(number, sheet.id))!, null);
    const why = async () => (await stale())?.why ?? null;
    const setGoal = async (gib: number) => {
      const job = (await findWholeJob(number))!;
      const options = { kits: ['offline-mover'] };
      const planned = await planGoal(job, { size: gib * GIB, keepFreePercent: 10, options }, {});
      if (!planned.ok) throw new Error('it has routes');
      unwrap(await saveGoal(number, job.version, planned.value));
    };
    expect(await why()).toBeNull();
    await setGoal(190);
    expect(await stale()).toMatchObject({
      word: 'wanted',
      why: expect.stringMatching(/leads to 200.0 GiB, and the goal of the job is 190.0 GiB by now/) as string,
    });
    await addTicks(number, sheet.id, [tick('before-medium')]);
    expect(await why()).toMatch(/190.0 GiB by now/);
    // A word holds for what was seen, and for nothing that comes after it.
    const seen = (await stale())!;
    unwrap(await workDespite(number, sheet, seen.against, seen.why));
    expect((await stale())?.word).toBe('given');
    expect((await historyOf(number)).entries.at(-1)!.what).toMatch(/worked from all the same/);
    await setGoal(180);
    expect((await stale())?.word).toBe('wanted');
    // The same goal as before makes the sheet current again.
    await setGoal(200);
    expect(await why()).toBeNull();
    const other = (await findWholeJob(number))!.answer!.routes.length - 1;
    expect(other).toBeGreaterThan(0);
    unwrap(await chooseRoute(number, (await findWholeJob(number))!.version, other));
    expect(await why()).toMatch(/Another (goal|route)/);
    unwrap(await chooseRoute(number, (await findWholeJob(number))!.version, 0));
    expect(await why()).toBeNull();
    await addTicks(number, sheet.id, [tick('step-1', { outcome: 'failed', note: 'it asks for a restart' })]);
    expect((await findWholeJob(number))!.sheet).toMatchObject({ failed: stepsOf(sheet.document)[0]!.title });
    expect(await why()).toMatch(/failed/);
    unwrap(await saveSurvey(number, (await findWholeJob(number))!.version, clinic(), 'document'));
    expect(await why()).toMatch(/newer survey/);
    // What was done is still taken, and a route of before the survey gives no new sheet.
    expect((await addTicks(number, sheet.id, [tick('before-power')])).ok).toBe(true);
    expect(code(await sheetFor((await findWholeJob(number))!, {}, null))).toBe('stale-plan');
    expect(await stage()).toBe('diagnosis');
  });

  it('begins with what goes and what moves first, and goes stale where that is chosen anew', async () => {
    const { number, sheet } = await withSheet(true);
    const first = sheet.document.before.slice(0, 3);
    expect(first.map(({ title }) => title)).toEqual([
      'Free first: An earlier Windows installation, 20.0 GiB on C:',
      'Move first: \\Users\\ida\\Pictures, 9.0 GiB from C: to Archive (D:)',
      'C: has the room',
    ]);
    expect(first[2]!.text[0]).toMatch(/^Afterwards about 83\.6 GiB are in use there, 35\.4 GiB are free/);
    // What goes first is done before the image is made.
    expect(sheet.document.before[3]!.id).toBe('before-image');
    const stale = async () =>
      findStaleReason((await findWholeJob(number))!, (await findSheet(number, sheet.id))!, null);
    const why = async () => (await stale())?.why ?? null;
    expect(await why()).toBeNull();
    const job = (await findWholeJob(number))!;
    await saveChoices(job, job.version, [{ ...FIRSTLY[0]!, moves: [] }]);
    expect(await why()).toMatch(/freed first was chosen anew/);
    await saveChoices(job, job.version + 1, FIRSTLY);
    expect(await why()).toBeNull();
  });

  it('is made of a drawing as well, and goes stale when that is changed', async () => {
    const number = await planned();
    const job = (await findWholeJob(number))!;
    const id = unwrap(await createDrawing(number, 'Mine', [drawingOf(job.answer!.routes[0]!)], 0));
    const drawing = (await findDrawing(number, id))!;
    const made = await sheetFor(job, {}, drawing);
    if (!made.ok) throw new Error(made.problems[0]!.message);
    unwrap(await saveSheet(number, job.version, made.value));
    const sheet = (await findSheet(number))!;
    expect(findStaleReason((await findWholeJob(number))!, sheet, drawing)).toBeNull();
    expect(findStaleReason((await findWholeJob(number))!, sheet, { ...drawing, edition: 2 })?.why).toMatch(
      /changed/,
    );
    const empty = { ...drawing, states: [{ kit: 'offline-mover', steps: [] }] };
    expect(code(await sheetFor(job, {}, empty))).toBe('empty');
  });
});

describe('the history of a job', () => {
  it('tells everything with who did it, and no statement changes or deletes an entry', async () => {
    const { number } = await runAsPerson('Ida Brack', withSheet);
    const { entries, breach } = await historyOf(number);
    expect(entries.map((entry) => entry.what.split(':')[0])).toEqual([
      'Job added',
      expect.stringMatching(/^Survey of/),
      'Goal set',
      'Work sheet made',
    ]);
    expect(entries.every((entry) => entry.who === 'Ida Brack')).toBe(true);
    await expect(change(database(), "UPDATE history SET what = 'nothing'")).rejects.toThrow(/not changed/);
    await expect(change(database(), 'DELETE FROM history')).rejects.toThrow(/not deleted/);
    expect(breach).toBeNull();
  });
});

describe('jobs', () => {
  it('are found by words, stage, due date and archive, and shown page by page', async () => {
    for (let i = 0; i < 7; i++) await createJob(`Customer ${i}`, i % 2 ? 'till' : 'office 50%');
    const all = await listJobs({ ...EVERY_JOB, size: 3, page: 2, sort: 'customer' });
    expect([all.total, all.jobs.map((job) => job.customer)]).toEqual([
      7,
      ['Customer 3', 'Customer 4', 'Customer 5'],
    ]);
    const found = async (query: Partial<typeof EVERY_JOB>) =>
      (await listJobs({ ...EVERY_JOB, sort: 'customer', ...query })).jobs.map((job) => job.customer);
    expect(await found({ text: 'till 3' })).toEqual(['Customer 3']);
    expect(await found({ text: '50%' })).toHaveLength(4);
    expect(await found({ text: '5_%' })).toEqual([]);
    const [number] = (await listJobs({ ...EVERY_JOB, text: 'Customer 6' })).jobs.map((job) => job.number);
    const details = { customer: 'Customer 6', machine: 'kiosk', notes: 'urgent', due: '2020-01-01' };
    unwrap(await saveDetails(number!, 1, details));
    expect(await found({ text: 'urgent' })).toEqual(['Customer 6']);
    expect(await found({ show: 'due' })).toEqual(['Customer 6']);
    unwrap(await archiveJob(number!, 2, true));
    expect(await found({})).toHaveLength(6);
    expect(await found({ show: 'archived' })).toEqual(['Customer 6']);
    await withSheet();
    expect((await listJobs({ ...EVERY_JOB, stage: 'sheet' })).total).toBe(1);
    expect((await listJobs()).stages).toEqual({ survey: 6, sheet: 1 });
  });

  it('are deleted whole, and only in the version that was looked at', async () => {
    const { number } = await withSheet();
    const { version } = (await findWholeJob(number))!;
    expect(await deleteJob(number, version - 1)).toMatchObject({ problems: [{ code: 'stale-job' }] });
    unwrap(await deleteJob(number, version));
    for (const table of ['jobs', 'surveys', 'goals', 'routes', 'sheets', 'ticks', 'proofs', 'history']) {
      expect(await rows(database(), `SELECT * FROM ${table}`), table).toEqual([]);
    }
    const { entries, breach } = await readWorkshopHistory();
    expect(entries.at(-1)!.what).toMatch(`Job ${number} deleted: Tern Street Clinic, X-ray viewer.`);
    expect(breach).toBeNull();
  });
});
