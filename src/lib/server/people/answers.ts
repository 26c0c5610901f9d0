import { json, type Cookies } from '@sveltejs/kit';
import { renderSVG } from 'uqr';
import { readBody } from '../door/body';
import { badInput, problem } from '../problem';
import { requester, type Person } from '../requester';
import type { BodyName, BodyOf } from '../schemas';
import { config } from '../settings/config';
import { MINUTES, type InvitationKind } from './invitations';
import { keepDevice, keepSession } from './cookies';
import type { Entered, Refused } from './signIn';

const waiting = (seconds: number): string =>
  seconds < 90 ? `${seconds} ${seconds === 1 ? 'second' : 'seconds'}` : `${Math.ceil(seconds / 60)} minutes`;

/** Why nobody was let in, as a problem document. */
export function refusedSignIn(refused: Refused): Response {
  switch (refused.why) {
    case 'wrong':
      return problem(401, 'That is not right. Name and passphrase, or the PIN, don’t belong together.');
    case 'wait': {
      const answer = problem(
        429,
        `After several wrong tries the next is taken in ${waiting(refused.seconds)}.`,
        {
          seconds: refused.seconds,
        },
      );
      answer.headers.set('retry-after', String(refused.seconds));
      return answer;
    }
    case 'unknown-device':
      return problem(
        403,
        'A PIN is good on devices only that somebody signed in on before. Sign in here with a passphrase, or by a QR code from a screen that is signed in.',
      );
    case 'used-up':
      return problem(410, 'This address was used already, or its time is over. Ask for a new one.');
    case 'devices':
      return problem(
        409,
        'This screen let in as many devices as it may. Sign in there with the passphrase, or show a code on another screen.',
        { title: 'Too many devices' },
      );
    case 'input':
      return badInput([{ path: refused.path, message: refused.message }]);
  }
}

/** Lets somebody in, or says why not. */
export function entered(cookies: Cookies, outcome: Entered): Response {
  if (!outcome.ok) return refusedSignIn(outcome.refused);
  keepSession(cookies, outcome.session);
  if (outcome.device !== null) keepDevice(cookies, outcome.device);
  return json({ person: outcome.person });
}

/** An address that is good once, as it is shown: what lets in stands behind the #, which no browser sends and no log sees. */
export function invitationAnswer(kind: InvitationKind, token: string, more: object = {}): Response {
  const address = invitationAddress(token);
  return json(
    { ...more, address, qr: renderSVG(address, { border: 1 }), minutes: MINUTES[kind] },
    { status: 201 },
  );
}
export const invitationAddress = (token: string): string => `${config().origin}/sign-in#${token}`;

/** Whoever is signed in, with what they send, which is looked at first. */
export async function withBody<N extends BodyName>(
  request: Request,
  name: N,
  work: (body: BodyOf<N>, person: Person) => Promise<Response>,
): Promise<Response> {
  const body = await readBody(request, name);
  return body.ok ? onPerson((person) => work(body.value, person)) : body.response;
}

/** Whoever is signed in; where nobody has to sign in there are no people either. */
export async function onPerson(work: (person: Person) => Promise<Response>): Promise<Response> {
  const { person } = requester();
  return person ? work(person) : nobodySignsIn();
}

/** What is answered to whoever asks for people where there are none. */
export const nobodySignsIn = (): Response =>
  problem(
    409,
    'Nobody signs in here: this server answers to its own computer only. Start it with GENTLE_TIDE_SIGN_IN=on to have people.',
    { title: 'Nobody signs in here' },
  );
