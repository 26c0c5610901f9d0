import { mayDo, type Need, type Role, type Scope } from '$contract/roles';
import { ENDPOINTS } from '$contract';
import { refuse } from '$contract/problems';
import { nameOf, type Requester } from '../../platform/requester';
import { config } from '../../platform/settings/config';
import { PAGES } from './pages';
import { findSession, noteUse } from '../../people/sessions';
import { findToken } from '../../people/tokens';

/** Rights that an address needs: a role at least, and of a program a scope. */
export interface Demand {
  need: Need;
  scope: Scope | null;
}

/** Methods that change nothing. */
const SAFE: ReadonlySet<string> = new Set(['GET', 'HEAD', 'OPTIONS']);

/** `/api/v1/jobs/[number]` as the contract writes it. */
const pathOf = (route: string): string => route.replaceAll('[', '{').replaceAll(']', '}');

/**
 * Whom a route answers. A method that an address does not know is for everybody who may ask it anything; what the
 * contract does not name is for owners, so that nothing new is open by oversight.
 */
export function demandOf(route: string | null, method: string): Demand {
  if (route === null) return { need: 'reader', scope: null };
  const path = pathOf(route);
  const wanted = method === 'HEAD' || method === 'OPTIONS' ? 'GET' : method;
  const here = ENDPOINTS.filter((one) => one.path === path);
  const found = here.find((one) => one.method === wanted)?.endpoint;
  if (found) return { need: found.need, scope: found.scope };
  const page = PAGES[route];
  if (page !== undefined) return { need: page, scope: null };
  if (here.some(({ endpoint }) => endpoint.need === 'anyone')) return { need: 'anyone', scope: null };
  return { need: here.length > 0 ? 'reader' : 'owner', scope: null };
}

/** Credentials that a request shows. */
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
  /** Nobody is signed in, or no longer; or who is may not. */
  | { ok: false; refused: Refused; requester: Requester };
type Refused = ReturnType<typeof refuse>;

/** The requester, with the decision. */
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
  const { need, scope } = demandOf(route, method);
  if (authorization !== null) {
    const shownToken = /^Bearer ([\w-]{1,200})$/i.exec(authorization)?.[1];
    const found = shownToken ? await findToken(shownToken) : null;
    if (!found) return { ok: false, refused: refuse('bad-token'), requester: anybody };
    const { person, scopes, name, id: token } = found;
    // The history tells what a program did apart from what its maker did.
    const who = nameOf(`${person.name} (${name})`);
    const requester: Requester = { ...anybody, who, key: `token ${who}`, person, token, scopes };
    if (need === 'anyone') return { ok: true, requester };
    const refused =
      scope === null
        ? refuse('people-only')
        : scopes.includes(scope)
          ? refuseRole(person.role, need)
          : refuse('no-scope', { scope });
    return refused ? { ok: false, refused, requester } : { ok: true, requester };
  }
  const found = session ? await findSession(session) : null;
  if (!found) {
    return need === 'anyone'
      ? { ok: true, requester: anybody }
      : { ok: false, refused: refuse('not-signed-in'), requester: anybody };
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
  const refused = refuseRole(person.role, need);
  return refused ? { ok: false, refused, requester } : { ok: true, requester };
}

const refuseRole = (role: Role, need: Need): Refused | null =>
  mayDo(role, need) ? null : refuse(need === 'owner' ? 'owners-only' : 'technicians-only', { role });

/**
 * Whether a request that changes something comes from a page of this server. The cookie goes along with whatever a
 * browser sends, so it alone says nothing; a program with a token has no cookie.
 */
export const isFromOwnPage = (method: string, headers: Headers): boolean =>
  SAFE.has(method) ||
  headers.get('authorization') !== null ||
  headers.get('sec-fetch-site') === 'same-origin' ||
  (headers.get('sec-fetch-site') === null && headers.get('origin') !== null);
