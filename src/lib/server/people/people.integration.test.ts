import { unwrap } from '$core/problem';
import { afterAll, beforeAll, beforeEach, describe, expect, it } from 'vitest';
import { change, closeDatabase, database, rows, transaction } from '../store/database/database';
import { migrate } from '../store/migrate/migrate';
import { runForRequester, NOBODY } from '../platform/requester';
import { NotDone } from '../platform/threads/pool';
import { hashOf } from './secrets';
import {
  CHEAP,
  nobody,
  PASSPHRASE,
  PIN,
  place,
  signInSomebody,
  withoutSignIn,
  withSignIn,
} from '../test/people';
import { inviteNow } from './invitations';
import { addPerson, changePerson, hasOwner, keepSecrets, listPeople } from './people';
import { addDevice, endDevice, findDevice } from './devices';
import { endAccess } from './endAccess';
import { findSession, listSessions, sweepSessions } from './sessions';
import {
  signInByInvitation,
  signInByPassphrase,
  signInByPin,
  changeSecrets,
  confirmPerson,
  type SignInPlace,
} from './signIn';
import { forgetTriesAt, listTriesAt, noteWrongTry } from './tries';
import { addToken, endToken, findToken, listTokens } from './tokens';

beforeAll(async () => {
  withSignIn();
  await migrate();
});
beforeEach(nobody);
afterAll(async () => {
  await nobody();
  withoutSignIn();
  await closeDatabase();
});

/** Moves what the database knows back in time, since nobody waits for hours. */
const older = (table: string, column: string, interval: string) =>
  change(database(), `UPDATE ${table} SET ${column} = ${column} - INTERVAL ${interval}`);
const on = async (device: string): Promise<SignInPlace> => ({ ...place(), device: await findDevice(device) });
const why = (entered: Awaited<ReturnType<typeof signInByPin>>): string =>
  entered.ok ? 'in' : entered.problems[0]!.code;

/** One more device of whoever has a session. */
async function enterBy(session: string) {
  const { id, person } = (await findSession(session))!;
  return signInByInvitation(await inviteNow('device', person.id, id), {}, place('10.0.0.77'));
}
const letIn = async (session: string) => {
  const entered = await enterBy(session);
  return entered.ok ? entered.value : null;
};

describe('signing in', () => {
  it('lets in who knows the passphrase, whatever is written big or small in the name', async () => {
    const { person } = await signInSomebody('technician');
    const entered = await signInByPassphrase(person.name.toUpperCase(), PASSPHRASE, place());
    expect(entered).toMatchObject({ ok: true, value: { person } });
    expect(await findSession(entered.ok ? entered.value.session : '')).toMatchObject({ person });
  });

  it('keeps no passphrase, PIN, cookie or token as it is', async () => {
    const { person, session, device } = await signInSomebody('technician');
    const token = (await addToken(person.id, 'figures', ['jobs:read'], 1))!;
    const all = JSON.stringify(
      await Promise.all(
        ['people', 'sessions', 'devices', 'invitations', 'access_tokens'].map((table) =>
          rows(database(), `SELECT * FROM ${table}`),
        ),
      ),
    );
    for (const secret of [PASSPHRASE, PIN, session, device!, token]) expect(all).not.toContain(secret);
  });

  it('gives two people with the same PIN different hashes', async () => {
    await signInSomebody('technician');
    await signInSomebody('technician');
    const hashes = await rows<{ pin: string }>(database(), 'SELECT pin FROM people');
    expect(new Set(hashes.map(({ pin }) => pin)).size).toBe(2);
  });

  it('answers a name that nobody has like a wrong passphrase', async () => {
    const { person } = await signInSomebody('technician');
    expect(await signInByPassphrase('nobody of that name', PASSPHRASE, place())).toEqual(
      await signInByPassphrase(person.name, 'wrong', place('10.0.0.6')),
    );
  });

  it('takes a PIN on known devices only, and no PIN for a passphrase', async () => {
    const { person, device } = await signInSomebody('technician');
    expect(why(await signInByPin(person.id, PIN, place()))).toBe('unknown-device');
    expect(why(await signInByPassphrase(person.name, PIN, place()))).toBe('wrong-secret');
    expect(why(await signInByPin(person.id, PIN, await on(device!)))).toBe('in');
    expect(why(await signInByPin(person.id, PASSPHRASE, await on(device!)))).toBe('wrong-secret');
  });

  it('changes who works at a shared tablet; the session of before is over', async () => {
    const first = await signInSomebody('technician');
    const second = await signInSomebody('owner', place('10.0.0.9'));
    const entered = await signInByPin(second.person.id, PIN, await on(first.device!));
    expect(entered).toMatchObject({ ok: true, value: { person: second.person, device: null } });
    expect(await findSession(first.session)).toBeNull();
    expect(await findSession(second.session)).not.toBeNull();
  });
});

describe('wrong tries', () => {
  it('make each further one wait longer, up to a quarter of an hour, and are forgotten after a right one', async () => {
    const { person, device } = await signInSomebody('technician');
    const tablet = await on(device!);
    for (let i = 0; i < 3; i++)
      expect(why(await signInByPin(person.id, '000000', tablet))).toBe('wrong-secret');
    const waits: number[] = [];
    for (let i = 0; i < 12; i++) {
      const refused = await signInByPin(person.id, PIN, tablet);
      if (refused.ok) throw new Error('it should wait');
      waits.push(refused.problems[0]!.details!['seconds']!);
      await change(database(), 'UPDATE wrong_tries SET waits_until = UTC_TIMESTAMP(3)');
      expect(why(await signInByPin(person.id, '000000', tablet))).toBe('wrong-secret');
    }
    expect(waits).toEqual([2, 4, 8, 16, 32, 64, 128, 256, 512, 900, 900, 900]);
    await change(database(), 'UPDATE wrong_tries SET waits_until = UTC_TIMESTAMP(3)');
    expect(why(await signInByPin(person.id, PIN, tablet))).toBe('in');
    expect(why(await signInByPin(person.id, '000000', tablet))).toBe('wrong-secret');
    const counted = await rows<{ count: number }>(
      database(),
      "SELECT count FROM wrong_tries WHERE source LIKE 'pin %'",
    );
    expect(counted).toEqual([{ count: 1 }]);
  });

  it('gain nothing by being sent at once: of sixty three are looked at, and those refused as busy count for nobody', async () => {
    const { person } = await signInSomebody('technician');
    const outcomes = await Promise.allSettled(
      Array.from({ length: 60 }, () => signInByPassphrase(person.name, 'wrong', place('10.9.9.9'))),
    );
    const looked = outcomes.filter((one) => one.status === 'fulfilled' && why(one.value) === 'wrong-secret');
    expect(looked.length).toBeLessThanOrEqual(3);
    const [pair] = await rows<{ count: number }>(
      database(),
      "SELECT count FROM wrong_tries WHERE source LIKE 'pair %'",
    );
    expect(pair!.count).toBe(looked.length);
    const busy = outcomes.filter((one) => one.status === 'rejected');
    for (const one of busy) expect(one.reason).toBeInstanceOf(NotDone);
  });

  it('at a PIN pause on every device: more devices give no more tries', async () => {
    const owner = await signInSomebody('owner');
    const reader = await signInSomebody('reader');
    let looked = 0;
    for (let i = 0; i < 10; i++) {
      const device = (await letIn(reader.session))?.device;
      if (!device) break;
      for (let tries = 0; tries < 3; tries++)
        if (why(await signInByPin(owner.person.id, '000000', await on(device))) === 'wrong-secret') looked++;
    }
    expect(looked).toBe(3);
    expect(why(await signInByPin(owner.person.id, PIN, await on(owner.device!)))).toBe('wait');
    expect(why(await signInByPassphrase(owner.person.name, PASSPHRASE, await on(owner.device!)))).toBe('in');
  });

  it('of many places keep nobody off a new device', async () => {
    const { person } = await signInSomebody('technician');
    await change(
      database(),
      `REPLACE INTO wrong_tries (source, count, last_at, waits_until) VALUES (?, 1500, UTC_TIMESTAMP(3), UTC_TIMESTAMP(3) + INTERVAL 900 SECOND)`,
      [`person ${person.id}`],
    );
    expect(why(await signInByPassphrase(person.name, 'mistyped', place('10.1.1.1')))).toBe('wrong-secret');
    const refused = await signInByPassphrase(person.name, PASSPHRASE, place('10.1.1.1'));
    expect(why(refused)).toBe('wait');
    expect(refused.ok ? 99 : refused.problems[0]!.details!['seconds']).toBeLessThanOrEqual(30);
    expect(why(await signInByPassphrase(person.name, PASSPHRASE, place('10.1.1.2')))).toBe('in');
  });

  it('of 34 places at once leave the right passphrase a way in', async () => {
    const { person } = await signInSomebody('technician');
    // A name that nobody has takes as long as a real hash.
    const wrong = Array.from({ length: 99 }, (_, i) =>
      signInByPassphrase(i % 2 ? person.name : 'made up', 'wrong', place(`10.2.0.${i % 34}`)).catch(
        () => null,
      ),
    );
    const right = signInByPassphrase(person.name, PASSPHRASE, place('10.3.0.1'));
    expect(why(await right)).toBe('in');
    await Promise.all(wrong);
  });

  it('are told to whom they were about, with their place, until they say that they know', async () => {
    const owner = await signInSomebody('owner');
    for (let i = 0; i < 3; i++) await signInByPassphrase(owner.person.name, 'wrong', place('10.6.6.6'));
    await expect
      .poll(() => listTriesAt(owner.person.id))
      .toMatchObject([{ place: 'a tablet, 10.6.6.6', count: 3 }]);
    await forgetTriesAt(owner.person.id);
    expect(await listTriesAt(owner.person.id)).toEqual([]);
    // Whoever gets it right at the same place mistyped.
    const own = await on(owner.device!);
    expect(why(await signInByPin(owner.person.id, '000000', own))).toBe('wrong-secret');
    await expect.poll(async () => (await listTriesAt(owner.person.id)).length).toBe(1);
    expect(why(await signInByPin(owner.person.id, PIN, own))).toBe('in');
    expect(await listTriesAt(owner.person.id)).toEqual([]);
  });

  it('from more places than anybody reads are counted together', async () => {
    const { person } = await signInSomebody('reader');
    for (let i = 0; i < 30; i++) await noteWrongTry(person.id, `place ${i}`);
    const told = await listTriesAt(person.id);
    expect(told.length).toBe(21);
    expect(told.reduce((sum, { count }) => sum + count, 0)).toBe(30);
  });

  it('lock nobody out elsewhere, and keep one place from trying everybody', async () => {
    const { person, device } = await signInSomebody('technician');
    for (let i = 0; i < 4; i++) await signInByPassphrase(person.name, 'wrong', place('10.9.9.9'));
    expect(why(await signInByPassphrase(person.name, PASSPHRASE, place('10.9.9.9')))).toBe('wait');
    expect(why(await signInByPassphrase(person.name, PASSPHRASE, place('10.0.0.7')))).toBe('in');
    expect(why(await signInByPin(person.id, PIN, await on(device!)))).toBe('in');
    for (let i = 0; i < 12; i++) await signInByPassphrase(`somebody ${i}`, 'wrong', place('10.8.8.8'));
    expect(why(await signInByPassphrase(person.name, PASSPHRASE, place('10.8.8.8')))).toBe('wait');
  });

  it('are forgotten after a day', async () => {
    const { person } = await signInSomebody('technician');
    for (let i = 0; i < 9; i++) await signInByPassphrase(person.name, 'wrong', place());
    await older('wrong_tries', 'last_at', '25 HOUR');
    expect(why(await signInByPassphrase(person.name, PASSPHRASE, place()))).toBe('in');
  });
});

describe('an address that is good once', () => {
  it('makes the first owner, once, who then can let others in', async () => {
    const token = await inviteNow('owner', null);
    const chosen = { name: 'Ida Brack', passphrase: PASSPHRASE };
    expect(await hasOwner()).toBe(false);
    const all = await Promise.all([1, 2, 3].map(() => signInByInvitation(token, chosen, place())));
    expect(all.map(why).sort()).toEqual(['in', 'used-up', 'used-up']);
    expect(await listPeople()).toMatchObject([
      { name: 'Ida Brack', role: 'owner', hasPassphrase: true, hasPin: false },
    ]);
    expect(await hasOwner()).toBe(true);
  });

  it('is good no longer once there is a newer one, or its time is over', async () => {
    const first = await inviteNow('owner', null);
    const second = await inviteNow('owner', null);
    const chosen = { name: 'Ida Brack', passphrase: PASSPHRASE };
    expect(why(await signInByInvitation(first, chosen, place()))).toBe('used-up');
    await older('invitations', 'ends_at', '25 HOUR');
    expect(why(await signInByInvitation(second, chosen, place()))).toBe('used-up');
  });

  it('signs one more device in for two minutes, as long as the session that made it holds', async () => {
    const { person, session } = await signInSomebody('reader');
    expect(await letIn(session)).toMatchObject({ person });
    const { id } = (await findSession(session))!;
    const orphan = await inviteNow('device', person.id);
    expect(why(await signInByInvitation(orphan, {}, place()))).toBe('used-up');
    const late = await inviteNow('device', person.id, id);
    await older('invitations', 'ends_at', '121 SECOND');
    expect(why(await signInByInvitation(late, {}, place()))).toBe('used-up');
  });

  it('lets in five devices a session', async () => {
    const { session } = await signInSomebody('reader');
    const all = [];
    for (let i = 0; i < 7; i++) all.push(await enterBy(session));
    expect(all.map(why)).toEqual(['in', 'in', 'in', 'in', 'in', 'too-many-devices', 'too-many-devices']);
  });

  it('does not come to life again where its person comes back', async () => {
    await signInSomebody('owner');
    const id = unwrap(await transaction((db) => addPerson(db, 'Una Vale', 'technician')));
    const token = await inviteNow('person', id);
    const change = { name: 'Una Vale', role: 'technician' as const };
    unwrap(await changePerson(id, { ...change, version: 1, left: true }));
    unwrap(await changePerson(id, { ...change, version: 2, left: false }));
    expect(why(await signInByInvitation(token, { pin: PIN }, place()))).toBe('used-up');
  });

  it.each([
    [{}, '/passphrase', /passphrase or a PIN/],
    [{ passphrase: 'short' }, '/passphrase', /at least 10/],
    [{ passphrase: 'password123' }, '/passphrase', /first that would be tried/],
    [{ passphrase: 'technician 1' }, '/passphrase', /first that would be tried/],
    [{ pin: '12345' }, '/pin', /6 to 12 digits/],
    [{ pin: '123456' }, '/pin', /first that would be tried/],
    [{ pin: '777777' }, '/pin', /first that would be tried/],
    [{ pin: '121212' }, '/pin', /first that would be tried/],
    [{ pin: '482482' }, '/pin', /first that would be tried/],
    [{ pin: '48o276' }, '/pin', /6 to 12 digits/],
  ])('refuses %j at its field, and is not used up by that', async (chosen, path, message) => {
    const id = unwrap(await transaction((db) => addPerson(db, 'technician 1', 'technician')));
    const token = await inviteNow('person', id);
    const refused = await signInByInvitation(token, chosen, place());
    expect(refused).toMatchObject({
      ok: false,
      problems: [{ path, message: expect.stringMatching(message) as string }],
    });
    expect(why(await signInByInvitation(token, { pin: PIN }, place()))).toBe('in');
  });

  it('of an owner asks for a passphrase', async () => {
    const id = unwrap(await transaction((db) => addPerson(db, 'Una', 'owner')));
    expect(why(await signInByInvitation(await inviteNow('person', id), { pin: PIN }, place()))).toBe(
      'weak-secret',
    );
  });
});

describe('a session', () => {
  it('ends when nothing is done in it, and in any case after a month', async () => {
    const idle = await signInSomebody('technician');
    await older('sessions', 'seen_at', '13 HOUR');
    expect(await findSession(idle.session)).toBeNull();
    const old = await signInSomebody('technician');
    await older('sessions', 'ends_at', '31 DAY');
    expect(await findSession(old.session)).toBeNull();
  });

  it('ends with its device: a stolen tablet is signed out, and takes no PIN any more', async () => {
    const { person, session, device } = await signInSomebody('technician');
    const [row] = await listSessions(person.id);
    expect(await transaction((db) => endDevice(db, row!.device))).toBe('a tablet');
    expect(await findSession(session)).toBeNull();
    expect(why(await signInByPin(person.id, PIN, await on(device!)))).toBe('unknown-device');
  });

  it('ends with the device from which its own was let in, and so do its tokens and addresses', async () => {
    const stolen = await signInSomebody('technician');
    const second = (await letIn(stolen.session))!;
    const third = (await letIn(second.session))!;
    const bystander = await signInSomebody('technician', place('10.0.0.8'));
    const { id, device, person } = (await findSession(stolen.session))!;
    const pending = await inviteNow('device', person.id, id);
    const thirds = (await findSession(third.session))!;
    const token = (await addToken(person.id, 'figures', ['jobs:read'], 366, thirds.device))!;
    await transaction((db) => endDevice(db, device));
    for (const { session } of [stolen, second, third]) expect(await findSession(session)).toBeNull();
    expect(await findToken(token)).toBeNull();
    expect(why(await signInByInvitation(pending, {}, place()))).toBe('used-up');
    expect(why(await signInByPin(person.id, PIN, await on(third.device!)))).toBe('unknown-device');
    expect(await findSession(bystander.session)).not.toBeNull();
  });

  it('ends with a change of what the person signs in with, and so do tokens and addresses', async () => {
    const here = await signInSomebody('technician');
    const elsewhere = (await letIn(here.session))!;
    const { id, device, person } = (await findSession(here.session))!;
    const pending = await inviteNow('device', person.id, id);
    const fromOwner = await inviteNow('person', person.id);
    const token = (await addToken(person.id, 'figures', ['jobs:read'], 366, device))!;
    const changed = await runForRequester(
      { ...NOBODY, person, who: person.name, session: { id, device } },
      async () =>
        changeSecrets(
          person,
          PASSPHRASE,
          { passphrase: 'herons under wading glass' },
          await on(here.device!),
        ),
    );
    expect(changed).toBeNull();
    expect(await findSession(here.session)).not.toBeNull();
    expect(await findSession(elsewhere.session)).toBeNull();
    expect(await findToken(token)).toBeNull();
    for (const address of [pending, fromOwner])
      expect(why(await signInByInvitation(address, { pin: PIN }, place()))).toBe('used-up');
  });

  it('never begins by a secret that was changed while it was compared', async () => {
    const { person } = await signInSomebody('technician');
    const entering = signInByPassphrase(person.name, PASSPHRASE, place('10.0.0.44'));
    // The real cost of a hash is longer than this change.
    await transaction(async (db) => {
      await endAccess(db, person.id);
      await keepSecrets(db, person.id, { passphrase: await hashOf('herons under wading glass', CHEAP) });
    });
    const entered = await entering;
    if (entered.ok) expect(await findSession(entered.value.session)).toBeNull();
    else expect(why(entered)).toBe('wrong-secret');
  });

  it('is asked for a secret again where it lets in more, and wrong ones pause there alone', async () => {
    const { person, device } = await signInSomebody('technician');
    const tablet = await on(device!);
    const answers: (string | null)[] = [];
    for (let i = 0; i < 4; i++)
      answers.push((await confirmPerson(person, 'wrong', tablet))?.problems[0]!.code ?? null);
    expect(answers).toEqual(['not-present', 'not-present', 'not-present', 'wait']);
    expect(why(await signInByPin(person.id, PIN, tablet))).toBe('in');
    await change(database(), 'DELETE FROM wrong_tries');
    for (const right of [PASSPHRASE, PIN]) expect(await confirmPerson(person, right, tablet)).toBeNull();
  });

  it('ends where somebody goes, or may less', async () => {
    await signInSomebody('owner');
    const { person, session } = await signInSomebody('owner');
    unwrap(await changePerson(person.id, { version: 1, name: person.name, role: 'reader', left: false }));
    expect(await findSession(session)).toBeNull();
    const again = await signInByPassphrase(person.name, PASSPHRASE, place());
    unwrap(await changePerson(person.id, { version: 2, name: person.name, role: 'reader', left: true }));
    expect(await findSession(again.ok ? again.value.session : '')).toBeNull();
    expect(why(await signInByPassphrase(person.name, PASSPHRASE, place()))).toBe('wrong-secret');
  });

  it('survives a clock that was wrong by a year for a while, or is over: never is it another person’s', async () => {
    const { person, session } = await signInSomebody('technician');
    await older('sessions', 'seen_at', '-1 YEAR');
    expect(await findSession(session)).toMatchObject({ person });
    await older('sessions', 'seen_at', '2 YEAR');
    expect(await findSession(session)).toBeNull();
  });

  it('leaves no rows without end: of many at one device, and of devices that nobody uses', async () => {
    const { person, device } = await signInSomebody('technician');
    for (let i = 0; i < 5; i++) await signInByPin(person.id, PIN, await on(device!));
    const count = async (table: string) =>
      (await rows<{ n: number }>(database(), `SELECT COUNT(*) AS n FROM ${table}`))[0]!.n;
    expect(await count('sessions')).toBeLessThanOrEqual(2);
    for (let i = 0; i < 55; i++)
      await transaction((db) => addDevice(db, { ...place(), person: person.id, letInBy: null }));
    const live = await rows(database(), 'SELECT id FROM devices WHERE ended_at IS NULL');
    expect(live.length).toBe(50);
    await older('devices', 'seen_at', '401 DAY');
    await sweepSessions();
    expect(await count('devices')).toBe(0);
  });

  it('that has been over for a month is thrown away, and no other', async () => {
    const gone = await signInSomebody('technician');
    await older('sessions', 'ends_at', '90 DAY');
    const there = await signInSomebody('technician');
    await sweepSessions();
    const left = await rows<{ n: number }>(database(), 'SELECT COUNT(*) AS n FROM sessions');
    expect(left[0]!.n).toBe(1);
    expect([await findSession(gone.session), await findSession(there.session)]).toMatchObject([
      null,
      { person: there.person },
    ]);
  });
});

describe('people', () => {
  it('have one name each, and a change on an old copy is refused', async () => {
    await signInSomebody('owner');
    const { person } = await signInSomebody('technician');
    expect(await transaction((db) => addPerson(db, person.name.toUpperCase(), 'reader'))).toMatchObject({
      problems: [{ code: 'name-taken' }],
    });
    const change = { version: 1, name: 'Tom', role: 'technician' as const, left: false };
    expect(unwrap(await changePerson(person.id, change))).toBe(2);
    expect(await changePerson(person.id, { ...change, name: 'Tim' })).toMatchObject({
      problems: [{ code: 'stale-person' }],
    });
  });

  it('never lose the last owner, not even where two let each other go at once', async () => {
    const one = await signInSomebody('owner');
    const other = await signInSomebody('owner');
    const go = (id: number, name: string) =>
      changePerson(id, { version: 1, name, role: 'owner', left: true });
    const outcomes = await Promise.all([
      go(one.person.id, one.person.name),
      go(other.person.id, other.person.name),
    ]);
    expect(outcomes.filter(({ ok }) => ok)).toHaveLength(1);
    expect(await hasOwner()).toBe(true);
    const refused = outcomes.find(({ ok }) => !ok);
    expect(refused).toMatchObject({ problems: [{ code: 'last-owner' }] });
  });
});

describe('a token of a program', () => {
  it('holds what it was made with, until it is ended, its time is over, or its person goes', async () => {
    await signInSomebody('owner');
    const { person } = await signInSomebody('technician');
    const token = (await addToken(person.id, 'figures', ['jobs:read', 'images:read'], 30))!;
    expect(await findToken(token)).toMatchObject({
      person,
      scopes: ['jobs:read', 'images:read'],
      name: 'figures',
    });
    expect(await findToken(`${token}x`)).toBeNull();
    expect(await findToken('')).toBeNull();
    const [row] = await listTokens(person.id);
    expect(await endToken(row!.id, person.id + 1)).toBe(false);
    expect(await endToken(row!.id, person.id)).toBe(true);
    expect(await findToken(token)).toBeNull();
    const second = (await addToken(person.id, 'more', ['jobs:write'], 30))!;
    await older('access_tokens', 'ends_at', '31 DAY');
    expect(await findToken(second)).toBeNull();
    const third = (await addToken(person.id, 'more', ['jobs:write'], 30))!;
    unwrap(await changePerson(person.id, { version: 1, name: person.name, role: 'technician', left: true }));
    expect(await findToken(third)).toBeNull();
  });
});
