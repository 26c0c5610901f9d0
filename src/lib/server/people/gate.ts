import { ENDPOINTS } from '../endpoints';
import { nameOf, type Requester } from '../requester';
import { config } from '../settings/config';
import { PAGES } from './pages';
import { mayDo, type Need, type Scope } from './roles';
import { findSession, noteUse } from './sessions';
import { findToken } from './tokens';

/** What an address asks for: a role at least, and of a program a scope. */
export interface Asked {
  need: Need;
  scope: Scope | null;
}

/** Methods that change nothing. */
const SAFE: ReadonlySet<string> = new Set(['GET', 'HEAD', 'OPTIONS']);

/** `/api/v1/jobs/[number]` as the table of endpoints writes it. */
const pathOf = (route: string): string => route.replaceAll('[', '{').replaceAll(']', '}');

/**
 * Whom a route answers. A method that an address does not know is for everybody who may ask it anything; what stands in no table is for
 * owners, so that nothing new is open by oversight.
 */
export function askedOf(route: string | null, method: string): Asked {
  if (route === null) return { need: 'reader', scope: null };
  const path = pathOf(route);
  const wanted = method === 'HEAD' || method === 'OPTIONS' ? 'get' : method.toLowerCase();
  const endpoint = ENDPOINTS[`${wanted} ${path}`];
  if (endpoint) return { need: endpoint.need, scope: endpoint.scope };
  const page = PAGES[route];
  if (page !== undefined) return { need: page, scope: null };
  const others = Object.entries(ENDPOINTS).filter(([name]) => name.split(' ')[1] === path);
  if (others.some(([, { need }]) => need === 'anyone')) return { need: 'anyone', scope: null };
  return { need: others.length > 0 ? 'reader' : 'owner', scope: null };
}

/** What a request shows of who asks. */
export interface Shown {
  route: string | null;
  method: string;
  /** Cookies of session and person, the header of a program. */
  session: string | undefined;
  said: string | undefined;
  authorization: string | null;
  address: string;
  id: string;
  gone: AbortSignal | null;
}

export type Admitted =
  | { ok: true; requester: Requester }
  /** 401: nobody is signed in, or no longer; 403: who is may not. */
  | { ok: false; status: 401 | 403; detail: string; requester: Requester };

const SIGN_IN = 'Sign in first: nobody is signed in here, or not any more.';
const BAD_TOKEN = 'This token is none, or it was ended, or its time is over.';

/** Who asks, and whether they may. */
export async function admit(shown: Shown): Promise<Admitted> {
  const { route, method, session, said, authorization, address, id, gone } = shown;
  const anybody: Requester = {
    id,
    who: '',
    key: address,
    from: address,
    person: null,
    session: null,
    token: null,
    scopes: null,
    gone,
  };
  if (!config().signIn) {
    const who = nameOf(said ?? '');
    return { ok: true, requester: { ...anybody, who, key: `${address} ${who}` } };
  }
  const { need, scope } = askedOf(route, method);
  if (authorization !== null) {
    const token = /^Bearer ([\w-]{1,200})$/i.exec(authorization)?.[1];
    const found = token ? await findToken(token) : null;
    if (!found) return { ok: false, status: 401, detail: BAD_TOKEN, requester: anybody };
    const { person, scopes, name, id: held } = found;
    // The history tells what a program did apart from what its maker did.
    const who = nameOf(`${person.name} (${name})`);
    const requester: Requester = { ...anybody, who, key: `token ${who}`, person, token: held, scopes };
    if (need === 'anyone') return { ok: true, requester };
    if (scope === null) {
      const detail = 'This is for people who are signed in, not for programs.';
      return { ok: false, status: 403, detail, requester };
    }
    if (!scopes.includes(scope)) {
      const detail = `This token has no scope “${scope}”.`;
      return { ok: false, status: 403, detail, requester };
    }
    return mayDo(person.role, need)
      ? { ok: true, requester }
      : { ok: false, status: 403, detail: tooLittle(person.role, need), requester };
  }
  const found = session ? await findSession(session) : null;
  if (!found) {
    return need === 'anyone'
      ? { ok: true, requester: anybody }
      : { ok: false, status: 401, detail: SIGN_IN, requester: anybody };
  }
  await noteUse(found, address);
  const { person, device } = found;
  const requester: Requester = {
    ...anybody,
    who: person.name,
    key: `person ${person.id}`,
    person,
    session: { id: found.id, device },
  };
  if (mayDo(person.role, need)) return { ok: true, requester };
  return { ok: false, status: 403, detail: tooLittle(person.role, need), requester };
}

const tooLittle = (role: string, need: Need): string =>
  need === 'owner'
    ? `You are signed in as ${role}. This is for owners: ask one of them.`
    : `You are signed in as ${role}, who sees and prints. Changes are for technicians: ask an owner if you should be one.`;

/**
 * Whether a request that changes something comes from a page of this server. The cookie goes along with whatever a browser sends, so it
 * alone says nothing; a program with a token has no cookie.
 */
export const fromOwnPage = (method: string, headers: Headers): boolean =>
  SAFE.has(method) ||
  headers.get('authorization') !== null ||
  headers.get('sec-fetch-site') === 'same-origin' ||
  (headers.get('sec-fetch-site') === null && headers.get('origin') !== null);
