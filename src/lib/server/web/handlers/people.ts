import type { Cookies } from '@sveltejs/kit';
import { renderSVG } from 'uqr';
import type { InvitationAddress, InvitationKind, PEOPLE, Person } from '$contract/people';
import { refuse } from '$contract/problems';
import { success, type Outcome } from '$core/problem';
import { dropSession, keepDevice, keepSession } from '../../people/cookies';
import { endDevice, mayLetIn } from '../../people/devices';
import { endAccess } from '../../people/endAccess';
import { findInvitation, makeInvitationAddress, invite, inviteNow, MINUTES } from '../../people/invitations';
import { addPerson, changePerson, listPeople } from '../../people/people';
import { placeOf } from '../../people/place';
import { endSession, listSessions } from '../../people/sessions';
import {
  signInByInvitation,
  signInByPassphrase,
  signInByPin,
  changeSecrets,
  confirmPerson,
  listPeopleWithPin,
  type SignedIn,
} from '../../people/signIn';
import { addToken, endToken, listTokens } from '../../people/tokens';
import { forgetTriesAt } from '../../people/tries';
import { nameOf, requester } from '../../platform/requester';
import { config } from '../../platform/settings/config';
import { database, transaction } from '../../store/database/database';
import { recordAtWorkshop } from '../../store/history/history';
import type { HandlersOf } from '../runner/endpoint';

/** Lets somebody in: the session comes as a cookie. */
function enter(cookies: Cookies, outcome: Outcome<SignedIn>): Outcome<{ person: Person }> {
  if (!outcome.ok) return outcome;
  const { person, session, device } = outcome.value;
  keepSession(cookies, session);
  if (device !== null) keepDevice(cookies, device);
  return success({ person });
}

/** An address that is good once, as it is shown. */
function invitation(kind: InvitationKind, token: string): InvitationAddress {
  const address = makeInvitationAddress(token);
  return { address, qr: renderSVG(address, { border: 1 }), minutes: MINUTES[kind] };
}

/** Whose things somebody sees and ends: their own, as owner everybody's (null). */
const scopeOf = ({ id, role }: Person): number | null => (role === 'owner' ? null : id);

export const PEOPLE_HANDLERS = {
  /** Names are shown to nobody who is not signed in, but on a device that is known. */
  'GET /me': async ({ event }) => {
    const { person, session } = requester();
    const { device } = await placeOf(event);
    return success({
      person,
      session: session?.id ?? null,
      withPin: device === null ? null : await listPeopleWithPin(),
    });
  },
  'POST /sign-in': async ({ body, event }) => {
    if (!config().signIn) return refuse('nobody-signs-in');
    const place = await placeOf(event);
    switch (body.by) {
      case 'passphrase':
        return enter(event.cookies, await signInByPassphrase(nameOf(body.name), body.passphrase, place));
      case 'pin':
        return enter(event.cookies, await signInByPin(body.person, body.pin, place));
      case 'invitation':
        return enter(event.cookies, await signInByInvitation(body.invitation, body, place));
    }
  },
  'POST /sign-in/invitation': async ({ body }) => {
    const found = await findInvitation(body.invitation);
    return found ? success({ kind: found.kind, person: found.person }) : refuse('used-up');
  },
  'POST /sign-out': async ({ event }) => {
    const { session } = requester();
    if (session) await endSession(session.id, null);
    dropSession(event.cookies);
    // The browser's copy goes as well.
    event.setHeaders({ 'clear-site-data': '"cache"' });
    return success(null);
  },
  'PUT /me/secrets': async ({ body: { present, ...chosen }, person, event }) =>
    (await changeSecrets(person, present, chosen, await placeOf(event))) ?? success(null),
  'POST /me/device': async ({ body, person, event }) => {
    const session = requester().session!.id;
    if (!(await mayLetIn(database(), person.id, session))) return refuse('too-many-devices');
    const refused = await confirmPerson(person, body.present, await placeOf(event));
    return refused ?? success(invitation('device', await inviteNow('device', person.id, session)));
  },
  'DELETE /me/wrong-tries': async ({ person }) => {
    await forgetTriesAt(person.id);
    return success(null);
  },
  'GET /people': async () => success(await listPeople()),
  'POST /people': async ({ body }) => {
    const name = nameOf(body.name);
    const made = await transaction(async (db): Promise<Outcome<{ id: number; token: string }>> => {
      const id = await addPerson(db, name, body.role);
      if (!id.ok) return id;
      await recordAtWorkshop(db, `${name} works here from now on, as ${body.role}.`);
      return success({ id: id.value, token: await invite(db, 'person', id.value) });
    });
    return made.ok ? success({ id: made.value.id, ...invitation('person', made.value.token) }) : made;
  },
  'PUT /people/{id}': async ({ params, body }) => {
    const version = await changePerson(params.id, { ...body, name: nameOf(body.name) });
    return version.ok ? success({ version: version.value }) : version;
  },
  'POST /people/{id}/invitation': async ({ params, typed }) => {
    const found = (await listPeople()).find((one) => one.id === params.id);
    if (!found) return refuse('no-person', { id: typed.id });
    if (found.leftAt) return refuse('left', { name: found.name });
    const token = await transaction(async (db) => {
      // Whoever lost what they sign in with may have lost it to somebody: nothing of before goes on.
      await endAccess(db, found.id, requester().session?.id);
      return invite(db, 'person', found.id);
    });
    return success(invitation('person', token));
  },
  'GET /sessions': async ({ person }) => success(await listSessions(scopeOf(person))),
  'DELETE /sessions/{id}': async ({ params, typed, person }) =>
    (await endSession(params.id, scopeOf(person))) ? success(null) : refuse('no-session', { id: typed.id }),
  /** A device that was stolen, lost or given away. */
  'DELETE /devices/{id}': async ({ params, typed }) => {
    const name = await transaction(async (db) => {
      const ended = await endDevice(db, params.id);
      if (ended !== null) await recordAtWorkshop(db, `The device “${ended}” is known here no more.`);
      return ended;
    });
    return name === null ? refuse('no-device', { id: typed.id }) : success(null);
  },
  'GET /tokens': async ({ person }) => success(await listTokens(scopeOf(person))),
  'POST /tokens': async ({ body: { present, name, scopes, days }, person, event }) => {
    const refused = await confirmPerson(person, present, await placeOf(event));
    if (refused) return refused;
    const token = await addToken(person.id, nameOf(name), scopes, days, requester().session?.device);
    return token === null ? refuse('too-many-tokens') : success({ token });
  },
  'DELETE /tokens/{id}': async ({ params, typed, person }) =>
    (await endToken(params.id, scopeOf(person))) ? success(null) : refuse('no-token', { id: typed.id }),
} satisfies HandlersOf<typeof PEOPLE>;
