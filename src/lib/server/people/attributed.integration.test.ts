import { unwrap } from '$core/problem';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { closeDatabase } from '../store/database/database';
import { migrate } from '../store/migrate/migrate';
import { runForRequester, NOBODY, type Requester } from '../platform/requester';
import { tick } from '../test/clinicJob';
import { nobody, PIN, place, signInSomebody, withoutSignIn, withSignIn } from '../test/people';
import { attributeTicks } from './attributed';
import { findDevice } from './devices';
import { findSession } from './sessions';
import { signInByPin, type SignedIn } from './signIn';

beforeAll(async () => {
  withSignIn();
  await migrate();
});
afterAll(async () => {
  await nobody();
  withoutSignIn();
  await closeDatabase();
});

async function asked({ session }: Pick<SignedIn, 'session'>): Promise<Requester> {
  const found = (await findSession(session))!;
  return {
    ...NOBODY,
    who: found.person.name,
    person: found.person,
    session: { id: found.id, device: found.device },
  };
}
const namesOf = (requester: Requester, ...said: string[]): Promise<string[]> =>
  runForRequester(requester, async () =>
    (await attributeTicks(said.map((who) => tick('before-power', { who })))).map(({ who }) => who),
  );

describe('who ticked', () => {
  it('is who is signed in, whatever the browser says', async () => {
    const tom = await signInSomebody('technician');
    const ida = await signInSomebody('owner');
    expect(await namesOf(await asked(tom), tom.person.name, ida.person.name, 'The Mayor', '')).toEqual(
      Array(4).fill(tom.person.name),
    );
  });

  it('stays who it was on a tablet that somebody else has by the time it is sent', async () => {
    const tom = await signInSomebody('technician');
    const ida = await signInSomebody('owner');
    const tablet = { ...place(), device: await findDevice(tom.device!) };
    const changed = unwrap(await signInByPin(ida.person.id, PIN, tablet));
    expect(await namesOf(await asked(changed), tom.person.name, ida.person.name, 'The Mayor')).toEqual([
      tom.person.name,
      ida.person.name,
      ida.person.name,
    ]);
  });

  it('is who they say, where nobody signs in', async () => {
    expect(await namesOf({ ...NOBODY, who: 'Ida' }, 'Jo', 'Ida')).toEqual(['Jo', 'Ida']);
  });
});
