import type { RehearsalState } from '$contract/rehearsalStates';
import { unwrap } from '$core/problem';
import { createJob, deleteJob } from '../jobs/changeJob';
import { findWholeJob } from '../jobs/findJob';
import { saveSurvey } from '../surveys/saveSurvey';
import type { JobParts } from '$contract/jobFile';
import type { Rehearsal } from '$contract/rehearsals';
import { existsSync, mkdirSync, readdirSync, rmSync } from 'node:fs';
import { join } from 'node:path';
import { afterAll, beforeAll, beforeEach, describe, expect, it } from 'vitest';
import { makeFreshFolder } from '$core/executor/test/mounted';
import { surveyWith, diskSpec } from '$core/survey/sketch';
import type { SurveyDocument } from '$core/survey';
import { GIB, MIB } from '$core/units';
import { change, closeDatabase, database, rows } from '../../store/database/database';
import { DEMO_JOBS } from '../../demo/machines';
import { chooseRoute, saveGoal } from '../goals/goals';
import { historyOf } from '../../store/history/history';
import { exportJob } from '../jobFile/exportJob';
import { importJob } from '../jobFile/importJob';
import { migrate } from '../../store/migrate/migrate';
import { planGoal } from '../goals/planGoal';
import { runAsPerson } from '../../platform/requester';
import { findSheet, saveSheet, sheetFor } from '../sheets/sheets';
import { changed, edit } from '../../test/alteredJob';
import { RehearsalSupervisor } from './supervisor';
import { findRehearsal, listRehearsals, proofOf } from './rehearsals';
import { sumRoomTaken, takeRehearsal } from './queue';
import { startRehearsal } from './start';
import { commandRehearsal } from './commandRehearsal';

const all = makeFreshFolder('rehearsals');
/** Each test has its own: what is removed here is removed once, at the end. */
let folder = all;
let tests = 0;
beforeAll(async () => {
  await migrate();
});
beforeEach(async () => {
  await change(database(), 'DELETE FROM jobs');
  folder = join(all, String(++tests));
  mkdirSync(folder);
});
afterAll(async () => {
  await closeDatabase();
  rmSync(all, { recursive: true, force: true, maxRetries: 9 });
});

/** The ferry office's virtual machine with a route for 140 GiB; its number. */
async function ferry(): Promise<number> {
  return routed(DEMO_JOBS.find((one) => one.number === 2613)!.survey!, 140 * GIB, 'offline-mover');
}

async function routed(survey: SurveyDocument, size: number, kit: string): Promise<number> {
  const number = await createJob('Harbour Ferry Office', 'booking desk');
  unwrap(await saveSurvey(number, 1, survey, 'document'));
  const job = (await findWholeJob(number))!;
  const goal = await planGoal(job, { size, keepFreePercent: 10, options: { kits: [kit] } }, {});
  if (!goal.ok) throw new Error(goal.problems[0]!.message);
  unwrap(await saveGoal(number, job.version, goal.value));
  return number;
}

async function started(number: number, pace: 'fast' | 'drive' = 'fast'): Promise<number> {
  const outcome = await startRehearsal((await findWholeJob(number))!, { pace }, {});
  if (!outcome.ok) throw new Error(outcome.problems[0]!.message);
  return outcome.value;
}

/** Looks on the supervisors' behalf until a rehearsal is as it should be. */
async function until(
  supervisors: readonly RehearsalSupervisor[],
  number: number,
  id: number,
  wanted: (rehearsal: Rehearsal) => boolean,
): Promise<Rehearsal> {
  const late = Date.now() + 50_000;
  for (;;) {
    for (const supervisor of supervisors) await supervisor.poll();
    const now = (await findRehearsal(number, id))!;
    if (wanted(now)) return now;
    if (Date.now() > late)
      throw new Error(`still ${now.state}: ${JSON.stringify(now.progress)} ${now.problem}`);
    await new Promise((done) => setTimeout(done, 40));
  }
}
/** Folders that rehearsals have here still. */
const left = () => readdirSync(folder).filter((name) => /^\d+$/.test(name));
const ask = commandRehearsal;
const is = (state: RehearsalState) => (rehearsal: Rehearsal) => rehearsal.state === state;
const within = (step: number) => (one: Rehearsal) =>
  one.progress.phase === 'carrying-out' && one.progress.step >= step && one.progress.arrived > 0;

describe('a rehearsal', () => {
  it('runs the chosen route on a stand-in, ends with its proof, and leaves no files behind', async () => {
    const number = await ferry();
    const supervisor = new RehearsalSupervisor(folder, undefined, 1);
    const id = await started(number);
    const ended = await until([supervisor], number, id, is('ended'));
    expect([ended.verdict, ended.problem, ended.room]).toEqual(['proved', null, 0]);
    const proof = (await proofOf(number, id))!;
    expect(proof.differences).toEqual([]);
    // The same comparison as after the real work, on a survey that was read from the bytes.
    expect([proof.layout!.verdict, proof.layout!.differences]).toEqual(['proved', []]);
    expect(proof.layout!.same).toBeGreaterThan(20);
    expect(proof.steps.map(({ promised, written }) => written >= promised)).not.toContain(false);
    expect(ended.progress.files).toBeGreaterThan(3000);
    expect(existsSync(join(folder, String(id)))).toBe(false);
    const told = (await historyOf(number)).entries.map(({ what }) => what);
    expect(told.at(-1)).toBe('Rehearsal ended: as promised, nothing lost.');

    // To another workshop it goes as it came, unless it says something else than it did.
    const packed = (await exportJob(number))!;
    const there = await importJob(packed);
    if (!there.ok) throw new Error(there.problems[0]!.message);
    const [came] = await listRehearsals(there.value.number);
    expect(came).toMatchObject({
      state: 'ended',
      verdict: 'proved',
      current: true,
      who: ended.who,
      room: 0,
      elsewhere: true,
    });
    expect(came!.progress.written).toEqual(proof.steps.map(({ written }) => written));
    expect(await proofOf(there.value.number, came!.id)).toEqual(proof);
    expect((await historyOf(there.value.number)).entries.at(-1)!.what).toContain(
      'not carried out again here',
    );
    type Part = JobParts['rehearsals.json'];
    const forgeries: [string, (list: Part) => void][] = [
      ['differs', ([one]) => void (one!.proof.verdict = 'differs')],
      ['differs', ([one]) => void one!.proof.differences.push('Something was lost.')],
      ['differs', ([one]) => void (one!.proof.partitions[0]!.same = false)],
      ['wrong', ([one]) => void one!.proof.steps.pop()],
      ['wrong', ([one]) => void (one!.chosen = 99)],
      ['wrong', ([one]) => void (one!.goal = 7)],
    ];
    for (const [code, forge] of forgeries) {
      const outcome = await importJob(changed(packed, edit('rehearsals.json', forge)));
      expect(outcome, forge.toString()).toMatchObject({ ok: false, problems: [{ code }] });
    }

    // On the work sheet of the same route it is told of, and on no other.
    const made = async () => {
      const job = (await findWholeJob(number))!;
      const sheet = await sheetFor(job, {}, null);
      if (!sheet.ok) throw new Error(sheet.problems[0]!.message);
      unwrap(await saveSheet(number, job.version, sheet.value));
      return (await findSheet(number))!.rehearsed;
    };
    expect(await made()).toMatch(/^Rehearsed on a stand-in on \d{4}-\d\d-\d\d: nothing lost\.$/);
    unwrap(await chooseRoute(number, (await findWholeJob(number))!.version, 1));
    expect(await made()).toBeNull();
  });

  it.each(['gpt', 'mbr'] as const)(
    'sets recovery aside and puts it back, with only what Windows brings: %s',
    async (table) => {
      const small = diskSpec({ size: 1400, seed: 3, table }, [
        { role: 'windows', size: 300, used: 7, letter: 'C', active: table === 'mbr' },
        { role: 'recovery', size: 400, used: 7 },
      ]);
      const number = await routed(surveyWith(small), 800 * MIB, 'windows-only');
      const id = await started(number);
      const ended = await until([new RehearsalSupervisor(folder, undefined, 1)], number, id, is('ended'));
      expect(ended.route.steps.map(({ verb }) => verb)).toEqual(['set-aside', 'extend', 'put-back']);
      expect([ended.verdict, (await proofOf(number, id))!.differences]).toEqual(['proved', []]);
    },
  );

  it('stops dead when the power is cut, goes on, and says how often', async () => {
    const number = await ferry();
    const supervisor = new RehearsalSupervisor(folder, undefined, 1);
    const id = await started(number, 'drive');
    await until([supervisor], number, id, within(0));
    for (let cuts = 0; cuts < 2; cuts++) {
      expect((await ask(number, id, 'cut')).ok).toBe(true);
      const cut = await until([supervisor], number, id, is('cut'));
      expect(cut.room).toBeGreaterThan(0);
      const again = await ask(number, id, 'cut');
      expect(again.ok || again.problems[0]!.message).toBe('It is not running, so there is no power to cut.');
      expect((await ask(number, id, 'resume')).ok).toBe(true);
      await until([supervisor], number, id, is('running'));
    }
    await ask(number, id, 'fast');
    const ended = await until([supervisor], number, id, is('ended'));
    expect([ended.verdict, (await proofOf(number, id))!.cuts]).toEqual(['proved', 2]);
  }, 90_000);

  it('takes a step back after a cut, and can go on from there or end', async () => {
    const number = await ferry();
    const supervisor = new RehearsalSupervisor(folder, undefined, 1);
    const id = await started(number, 'drive');
    await until([supervisor], number, id, within(0));
    await ask(number, id, 'cut');
    await until([supervisor], number, id, is('cut'));
    await ask(number, id, 'step-back');
    await until([supervisor], number, id, is('stepped-back'));
    await ask(number, id, 'fast');
    await ask(number, id, 'resume');
    expect((await until([supervisor], number, id, is('ended'))).verdict).toBe('proved');
    const late = await ask(number, id, 'cancel');
    expect(late.ok || late.problems[0]!.message).toBe('It has ended already.');

    const other = await started(number, 'drive');
    await until([supervisor], number, other, within(0));
    await ask(number, other, 'cancel');
    await until([supervisor], number, other, is('cancelled'));
    expect(left()).toEqual([]);
  }, 90_000);

  it('whose server is gone is taken up by another, and proved', async () => {
    const number = await ferry();
    const [first, second] = [
      new RehearsalSupervisor(folder, undefined, 1),
      new RehearsalSupervisor(folder, undefined, 1),
    ];
    const id = await started(number, 'drive');
    await until([first], number, id, within(0));
    // The first says nothing any more, and its run is dead: as after a SIGKILL.
    const held = (
      first as unknown as {
        held: Map<number, { run: { tell(told: object): void; ended: Promise<unknown> } }>;
      }
    ).held.get(id)!;
    (first as unknown as { held: Map<number, unknown> }).held.clear();
    held.run.tell({ stop: true });
    await held.run.ended;
    await change(
      database(),
      'UPDATE rehearsals SET seen_at = seen_at - INTERVAL 20 SECOND, pace = ? WHERE id = ?',
      ['fast', id],
    );
    const ended = await until([second], number, id, is('ended'));
    expect([ended.verdict, (await proofOf(number, id))!.cuts]).toEqual(['proved', 1]);
  }, 90_000);

  it('that a server leaves as it ends waits for the next one, and counts no cut', async () => {
    const number = await ferry();
    const first = new RehearsalSupervisor(folder, undefined, 1);
    const id = await started(number, 'drive');
    await until([first], number, id, within(0));
    await first.stop();
    expect((await findRehearsal(number, id))!.state).toBe('waiting');
    await ask(number, id, 'fast');
    const ended = await until([new RehearsalSupervisor(folder, undefined, 1)], number, id, is('ended'));
    expect([ended.verdict, (await proofOf(number, id))!.cuts]).toEqual(['proved', 0]);
  }, 90_000);

  it('is shared out: of ten, two servers take each once, and no more than may run at once', async () => {
    const numbers: number[] = [];
    for (let i = 0; i < 10; i++) numbers.push(await ferry());
    for (const number of numbers) await started(number);
    const taken: number[] = [];
    const take = async (holder: string) => {
      const one = await takeRehearsal(holder, 4);
      if (one) taken.push(one.id);
    };
    await Promise.all(Array.from({ length: 12 }, (_, i) => take(i % 2 ? 'a' : 'b')));
    expect(new Set(taken).size).toBe(taken.length);
    expect(taken.length).toBe(4);
    await change(database(), "UPDATE rehearsals SET state = 'ended'");
    expect(await takeRehearsal('a', 4)).toBeNull();
  });

  it('is refused in a sentence where it can’t be, with nothing begun', async () => {
    const number = await ferry();
    const job = (await findWholeJob(number))!;
    const codeOf = async (one: typeof job) => {
      const outcome = await startRehearsal(one, { pace: 'fast' }, {});
      return outcome.ok ? 'begun' : outcome.problems[0]!.code;
    };
    expect(await codeOf({ ...job, goal: null })).toBe('nothing-to-rehearse');
    expect(await codeOf({ ...job, goal: { ...job.goal!, stale: true } })).toBe('stale-route');
    const route = structuredClone(job.answer!.routes[0]!);
    const create = { fileSystem: 'refs' };
    route.steps[0] = { ...route.steps[0]!, verb: 'create', create } as never;
    expect(await codeOf({ ...job, answer: { ...job.answer!, routes: [route] } })).toBe('not-rehearsable');
    expect(await listRehearsals(number)).toEqual([]);

    const both = await Promise.all(
      ['Ida', 'Tom'].map((who) => runAsPerson(who, () => startRehearsal(job, { pace: 'fast' }, {}))),
    );
    expect(both.map((one) => one.ok).sort()).toEqual([false, true]);
    const refused = both.find((one) => !one.ok)!;
    expect(refused.ok || refused.problems[0]!.message).toMatch(/under way \((Ida|Tom) began it\)/);
  });

  it('goes with its job, files too', async () => {
    const number = await ferry();
    const supervisor = new RehearsalSupervisor(folder, undefined, 1);
    const id = await started(number, 'drive');
    await until([supervisor], number, id, within(0));
    unwrap(await deleteJob(number, (await findWholeJob(number))!.version));
    const late = Date.now() + 20_000;
    while (supervisor.running > 0 && Date.now() < late) {
      await supervisor.poll();
      await new Promise((done) => setTimeout(done, 50));
    }
    await new RehearsalSupervisor(folder, undefined, 1).poll();
    expect(left()).toEqual([]);
    expect(await rows(database(), 'SELECT id FROM rehearsals')).toEqual([]);
    expect(await sumRoomTaken()).toEqual({ bytes: 0, rehearsals: 0 });
  }, 60_000);
});
