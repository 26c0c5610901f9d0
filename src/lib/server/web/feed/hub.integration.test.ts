import { unwrap } from '$core/problem';
import { createJob, deleteJob, saveDetails } from '../../work/jobs/changeJob';
import { findWholeJob } from '../../work/jobs/findJob';
import mysql from 'mysql2/promise';
import { afterAll, afterEach, beforeAll, describe, expect, it } from 'vitest';
import { closeDatabase, readConnectionOptions } from '../../store/database/database';
import { migrate } from '../../store/migrate/migrate';
import { changePerson } from '../../people/people';
import { endWhenAbsent, type Presence } from '../../people/presence';
import { endSession } from '../../people/sessions';
import { addToken, endToken, findToken } from '../../people/tokens';
import { runAsPerson } from '../../platform/requester';
import { config, forgetConfig, databaseUrl } from '../../platform/settings/config';
import { nobody, signInSomebody, withoutSignIn, withSignIn } from '../../test/people';
import { watchWorkshop, watching, type WorkshopEvent } from './hub';

beforeAll(async () => {
  withSignIn();
  await migrate();
});
const leaving: (() => void)[] = [];
afterEach(() => {
  for (const leave of leaving.splice(0)) leave();
});
afterAll(async () => {
  await nobody();
  withoutSignIn();
  await closeDatabase();
});

/** Far more than two polls of the hub: what is done has to arrive by then, also on a busy machine. */
const SOON = 20_000;
const details = (notes: string) => ({ customer: 'Salt Pan Library', machine: 'catalogue', notes, due: null });
const until = async (holds: () => boolean): Promise<boolean> => {
  for (const end = Date.now() + SOON; Date.now() < end; await new Promise((done) => setTimeout(done, 20)))
    if (holds()) return true;
  return holds();
};

/** Somebody who watches, from when the hub knows what was there before. */
const nobodyIn: Presence = { session: null, token: null, person: null };
async function watcher(
  presence: Partial<Presence> = {},
): Promise<{ heard: WorkshopEvent[]; ended: () => boolean }> {
  const heard: WorkshopEvent[] = [];
  let ended = false;
  const leave = watchWorkshop(
    { ...nobodyIn, ...presence },
    (events) => heard.push(...events),
    () => (ended = true),
  );
  if (!leave) throw new Error('too many watch');
  leaving.push(leave);
  await new Promise((done) => setTimeout(done, 800));
  return { heard, ended: () => ended };
}

describe('whoever watches the bench', () => {
  it('hears what is done after that, by whom, once, and nothing of before', async () => {
    const before = await createJob('Salt Pan Library', 'before');
    const { heard } = await watcher();
    const number = await runAsPerson('Ida', () => createJob('Salt Pan Library', 'after'));
    await runAsPerson('Tom', () => saveDetails(number, 1, details('a note')));
    expect(await until(() => heard.filter(({ job }) => job === number).length === 2)).toBe(true);
    await new Promise((done) => setTimeout(done, 1300));
    expect(heard.filter(({ job }) => job === number)).toMatchObject([
      { who: 'Ida', what: expect.stringMatching(/^Job added/) as string },
      { who: 'Tom', version: 2 },
    ]);
    expect(heard.some(({ job }) => job === before)).toBe(false);
  });

  it('hears that a job was deleted, which has no history any more', async () => {
    const number = await createJob('Salt Pan Library', 'gone');
    const { heard } = await watcher();
    unwrap(await deleteJob(number, (await findWholeJob(number))!.version));
    expect(
      await until(() => heard.some(({ job, what }) => job === null && what.includes(String(number)))),
    ).toBe(true);
  });

  it('hears what was begun earlier and saved later than what it heard already', async () => {
    const [slow, fast] = [
      await createJob('Salt Pan Library', 'slow'),
      await createJob('Salt Pan Library', 'fast'),
    ];
    const { heard } = await watcher();
    const db = await mysql.createConnection(readConnectionOptions(databaseUrl()));
    await db.beginTransaction();
    await db.execute(
      `INSERT INTO history (job_id, at, who, what, kind, seal) SELECT id, UTC_TIMESTAMP(3), 'Ida', 'begun first', 'plain', REPEAT('0', 64) FROM jobs WHERE number = ?`,
      [slow],
    );
    unwrap(await saveDetails(fast, 1, details('saved first')));
    expect(await until(() => heard.some(({ job }) => job === fast))).toBe(true);
    await db.commit();
    await db.end();
    expect(await until(() => heard.some(({ what }) => what === 'begun first'))).toBe(true);
  });

  it('is let go with the session, within seconds, and nobody else is', async () => {
    const [one, other] = [await signInSomebody('technician'), await signInSomebody('technician')];
    const { findSession } = await import('../../people/sessions');
    const sessions = await Promise.all([one, other].map(({ session }) => findSession(session)));
    const [ends, stays] = [
      await watcher({ session: sessions[0]!.id }),
      await watcher({ session: sessions[1]!.id }),
    ];
    await endSession(sessions[0]!.id, null);
    for (let i = 0; i < 3 && !ends.ended(); i++) await until(ends.ended);
    expect([ends.ended(), stays.ended()]).toEqual([true, false]);
  });

  it('is let go with the token of a program, also where the person goes', async () => {
    const { person } = await signInSomebody('technician');
    const tokens = await Promise.all(
      ['ended', 'stays', 'of somebody who goes'].map(async (name, i) => {
        const whose = i === 2 ? (await signInSomebody('reader')).person : person;
        return (await findToken((await addToken(whose.id, name, ['jobs:read'], 1))!))!;
      }),
    );
    const [ends, stays, goes] = await Promise.all(tokens.map(({ id }) => watcher({ token: id })));
    await endToken(tokens[0]!.id, null);
    const { id, name } = tokens[2]!.person;
    unwrap(await changePerson(id, { version: 1, name, role: 'reader', left: true }));
    for (let i = 0; i < 3 && !(ends!.ended() && goes!.ended()); i++)
      await until(() => ends!.ended() && goes!.ended());
    expect([ends!.ended(), stays!.ended(), goes!.ended()]).toEqual([true, false, true]);
  });

  it('and what else goes on for long ends with the session', async () => {
    const { session } = await signInSomebody('reader');
    const { findSession } = await import('../../people/sessions');
    const { id } = (await findSession(session))!;
    const ended: string[] = [];
    leaving.push(
      endWhenAbsent({ ...nobodyIn, session: id }, () => ended.push('signed out')),
      endWhenAbsent(nobodyIn, () => ended.push('nobody signs in')),
    );
    await endSession(id, null);
    await expect.poll(() => ended, { timeout: 12_000 }).toContain('signed out');
    expect(ended).not.toContain('nobody signs in');
  }, 15_000);

  it('takes not all seats: those of one person are bounded, and free again once he leaves', () => {
    const none = () => undefined;
    const mine = { ...nobodyIn, person: 1 };
    const seats: (() => void)[] = [];
    for (let i = 0; i < 200; i++) {
      const leave = watchWorkshop(mine, none, none);
      if (!leave) break;
      seats.push(leave);
    }
    leaving.push(...seats);
    expect(seats.length).toBe(16);
    leaving.push(watchWorkshop({ ...nobodyIn, person: 2 }, none, none)!);
    seats[0]!();
    seats[0]!();
    leaving.push(watchWorkshop(mine, none, none)!);
    expect(watchWorkshop(mine, none, none)).toBeNull();
  });

  it('is refused where too many watch', () => {
    const most = config().watchers;
    process.env['GENTLE_TIDE_WATCHERS'] = String(watching() + 1);
    forgetConfig();
    try {
      const none = () => undefined;
      leaving.push(watchWorkshop(nobodyIn, none, none)!);
      expect(watchWorkshop(nobodyIn, none, none)).toBeNull();
    } finally {
      delete process.env['GENTLE_TIDE_WATCHERS'];
      forgetConfig();
    }
    expect(config().watchers).toBe(most);
  });
});
