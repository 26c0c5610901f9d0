import { mkdtempSync, readdirSync, readFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { shareOf } from '../src/lib/core/test/evidence';
import { startDatabase } from '../scripts/privateDatabase.mjs';
import { tryPort } from '../scripts/ports.mjs';
import { serve } from '../scripts/server.mjs';
import { operationsOf, type Operation } from './api';

// A server that people sign in at, with a database of its own: every endpoint is asked by everybody there is.
type Who = 'nobody' | 'reader' | 'technician' | 'owner';
const ROLES: readonly Who[] = ['nobody', 'reader', 'technician', 'owner'];
const PASSPHRASE = 'wading heron under glass';

const folder = mkdtempSync(join(tmpdir(), 'roles-'));
let database: Awaited<ReturnType<typeof startDatabase>>;
let server: Awaited<ReturnType<typeof serve>>;
let operations: Operation[];
let said = '';
/** Cookies of somebody of each role, and of whoever is signed in nowhere. */
const cookies: Record<Who, string> = { nobody: '', reader: '', technician: '', owner: '' };

interface Answer {
  status: number;
  body: string;
  cookie: string;
  location: string | null;
}

async function ask(
  method: string,
  path: string,
  {
    cookie = '',
    body,
    headers = {},
  }: { cookie?: string; body?: unknown; headers?: Record<string, string> } = {},
): Promise<Answer> {
  const stop = new AbortController();
  const response = await fetch(`${server.address}${path}`, {
    method,
    redirect: 'manual',
    signal: stop.signal,
    headers: {
      ...(cookie && { cookie }),
      ...(method !== 'GET' && { origin: server.address }),
      ...(body !== undefined && { 'content-type': 'application/json' }),
      ...headers,
    },
    ...(body !== undefined && { body: JSON.stringify(body) }),
  });
  // What goes on for as long as somebody listens is not waited for.
  const endless = response.headers.get('content-type') === 'text/event-stream';
  const text = endless ? '' : await response.text();
  if (endless) stop.abort();
  const set = response.headers.getSetCookie().map((one) => one.split(';')[0]!);
  return {
    status: response.status,
    body: text,
    cookie: set.join('; '),
    location: response.headers.get('location'),
  };
}

const json = <T>({ body }: Answer): T => JSON.parse(body) as T;
const tokenIn = (text: string): string => /#([\w-]+)/.exec(text)![1]!;
const enter = async (invitation: string, more: object): Promise<string> =>
  (
    await ask('POST', '/api/v1/sign-in', {
      body: { by: 'invitation', invitation, passphrase: PASSPHRASE, ...more },
    })
  ).cookie;

beforeAll(async () => {
  database = await startDatabase(join(folder, 'database'), ['roles']);
  server = await serve({
    port: (await tryPort(0, '127.0.0.1')) ?? 0,
    host: '127.0.0.1',
    databaseUrl: database.url('roles'),
    migrationUrl: database.keeperUrl('roles'),
    demo: false,
    env: { GENTLE_TIDE_SIGN_IN: 'on', GENTLE_TIDE_DATA: join(folder, 'data'), GENTLE_TIDE_LOG: 'debug' },
    said: (text) => (said += text),
  });
  operations = await operationsOf(server.address);
  cookies.owner = await enter(tokenIn(said), { name: 'Ida Brack' });
  for (const role of ['reader', 'technician'] as const) {
    const made = await ask('POST', '/api/v1/people', {
      cookie: cookies.owner,
      body: { name: `A ${role}`, role },
    });
    cookies[role] = await enter(tokenIn(json<{ address: string }>(made).address), {});
  }
});
afterAll(async () => {
  await server.stop();
  await database.stop();
});

/** What the table says, read as text: the server is asked, not its own code. */
const AT_ROOT = /^\/(healthz|readyz|metrics|schemas\/)/;
const needs = new Map(
  [
    ...readdirSync('src/lib/contract')
      .map((file) => readFileSync(`src/lib/contract/${file}`, 'utf8'))
      .join('\n')
      .matchAll(/^ {2}'(\w+) (\/\S*)': endpoint\(\{\s+need: '(\w+)',\s+scope: (?:'([\w:]+)'|null),/gm),
  ].map(([, method, path, need, scope]) => [
    `${method} ${AT_ROOT.test(path!) ? '' : '/api/v1'}${path}`,
    { need: need as Who | 'anyone', scope: scope ?? null },
  ]),
);
/** Addresses of things that are not there: whoever may ask hears 404 or worse of his body, and changes nothing. */
const address = (path: string): string =>
  path.replace('{number}', '999999').replace('{name}', 'survey').replaceAll('{id}', '999999');
const refused = ({ status }: Answer): boolean => status === 401 || status === 403;

describe('every endpoint', () => {
  it('stands in the table, as the document of the API has it', () => {
    expect(needs.size).toBe(operations.length);
    for (const { method, path } of operations)
      expect(needs.has(`${method} ${path}`), `${method} ${path}`).toBe(true);
  });

  it.each(ROLES)('answers %s as the table says, and no other way', async (who) => {
    for (const { method, path } of operations) {
      // Signing out would end the walk.
      if (path === '/api/v1/sign-out') continue;
      const { need } = needs.get(`${method} ${path}`)!;
      const may = need === 'anyone' || ROLES.indexOf(who) >= ROLES.indexOf(need);
      const answer = await ask(method, address(path), {
        cookie: cookies[who],
        ...(method !== 'GET' && { body: {} }),
      });
      expect(
        refused(answer),
        `${who}: ${method} ${path} answered ${answer.status} ${answer.body.slice(0, 200)}`,
      ).toBe(!may);
      if (!may) expect(answer.status).toBe(who === 'nobody' ? 401 : 403);
      expect(answer.status, `${method} ${path}`).toBeLessThan(500);
    }
  });

  it.each(['HEAD', 'OPTIONS', 'PATCH', 'PURGE'])('gives nobody anything by %s', async (method) => {
    for (const path of new Set(operations.map((one) => one.path))) {
      const open = [...needs].some(([name, { need }]) => name.split(' ')[1] === path && need === 'anyone');
      const answer = await ask(method, address(path));
      expect(answer.body).toSatisfy((body: string) => open || body === '' || body.includes('/problems/'));
      if (!open && method !== 'PURGE') expect(answer.status, path).toBe(401);
    }
  });

  it('lets a program do what its scopes say, and its person may', async () => {
    const scopes = [...new Set([...needs.values()].flatMap(({ scope }) => scope ?? []))];
    for (const who of ['technician', 'owner'] as const) {
      for (const scope of shareOf(scopes, 3)) {
        const made = await ask('POST', '/api/v1/tokens', {
          cookie: cookies[who],
          body: { present: PASSPHRASE, name: scope, scopes: [scope], days: 1 },
        });
        const { token } = json<{ token: string }>(made);
        for (const { method, path } of operations) {
          const asked = needs.get(`${method} ${path}`)!;
          if (asked.need === 'anyone') continue;
          const may = asked.scope === scope && ROLES.indexOf(who) >= ROLES.indexOf(asked.need);
          const answer = await ask(method, address(path), {
            headers: { authorization: `Bearer ${token}` },
            ...(method !== 'GET' && { body: {} }),
          });
          expect(refused(answer), `${who}, ${scope}: ${method} ${path} answered ${answer.status}`).toBe(!may);
        }
      }
    }
  });
});

describe('what lets in', () => {
  it('asks for the secret again', async () => {
    const cookie = cookies.technician;
    for (const [path, more] of [
      ['/api/v1/me/device', {}],
      ['/api/v1/tokens', { name: 'figures', scopes: ['jobs:read'], days: 366 }],
    ] as const) {
      expect((await ask('POST', path, { cookie, body: more })).status, path).toBe(422);
      const wrong = await ask('POST', path, { cookie, body: { ...more, present: 'wrong' } });
      expect(json<{ errors: unknown }>(wrong).errors, path).toMatchObject([{ path: '/present' }]);
      const right = await ask('POST', path, { cookie, body: { ...more, present: PASSPHRASE } });
      expect(right.status, path).toBe(201);
    }
  });

  it('ends with a new address by an owner: sessions, tokens with what they watch, addresses', async () => {
    const asOwner = { cookie: cookies.owner };
    const made = await ask('POST', '/api/v1/people', {
      ...asOwner,
      body: { name: 'Una Vale', role: 'technician' },
    });
    const { id, address: first } = json<{ id: number; address: string }>(made);
    const cookie = await enter(tokenIn(first), {});
    const pending = await ask('POST', '/api/v1/me/device', { cookie, body: { present: PASSPHRASE } });
    const { token } = json<{ token: string }>(
      await ask('POST', '/api/v1/tokens', {
        cookie,
        body: { present: PASSPHRASE, name: 'figures', scopes: ['jobs:read'], days: 366 },
      }),
    );
    const headers = { authorization: `Bearer ${token}` };
    const stream = await fetch(`${server.address}/api/v1/events`, { headers });
    expect(stream.status).toBe(200);
    expect((await ask('POST', `/api/v1/people/${id}/invitation`, asOwner)).status).toBe(201);
    // It ends by itself.
    await stream.text();
    expect((await ask('GET', '/api/v1/jobs', { headers })).status).toBe(401);
    expect((await ask('GET', '/api/v1/jobs', { cookie })).status).toBe(401);
    const late = await ask('POST', '/api/v1/sign-in', {
      body: { by: 'invitation', invitation: tokenIn(json<{ address: string }>(pending).address) },
    });
    expect(late.status).toBe(410);
  });
});

describe('every page', () => {
  const pages = [
    ...readFileSync('src/lib/server/web/gate/pages.ts', 'utf8').matchAll(/^ {2}'(\/\S*)': '(\w+)'/gm),
  ].map(([, path, need]) => [path!, need as Who | 'anyone'] as const);

  it.each(ROLES)('opens for %s as the table says', async (who) => {
    expect(pages.length).toBeGreaterThan(15);
    for (const [route, need] of pages) {
      const may = need === 'anyone' || ROLES.indexOf(who) >= ROLES.indexOf(need);
      const path = route.replace('[number]', '999999').replace('[id]', '1').replace('[name]', 'survey.ps1');
      for (const at of [path, `${path === '/' ? '' : path}/__data.json`]) {
        if (/trust|collector/.test(at) && at.endsWith('.json')) continue;
        const answer = await ask('GET', at, { cookie: cookies[who] });
        const leads =
          answer.location ??
          (answer.body.startsWith('{"type":"redirect"') ? json<{ location: string }>(answer).location : '');
        const sent = who === 'nobody' ? leads.startsWith('/sign-in') : leads.startsWith('/me?refused=');
        expect(sent, `${who}: ${at} answered ${answer.status} ${leads}`).toBe(!may);
      }
    }
  });
});

describe('whoever is no page of this server', () => {
  it('does nothing with a cookie that came along', async () => {
    const body = { name: 'Somebody else', role: 'owner' };
    for (const headers of [
      { origin: 'https://evil.example' },
      { origin: 'null' },
      { 'sec-fetch-site': 'cross-site' },
      { origin: '' },
    ]) {
      const answer = await ask('POST', '/api/v1/people', { cookie: cookies.owner, body, headers });
      expect(answer.status, JSON.stringify(headers)).toBe(403);
    }
    const people = json<{ name: string }[]>(await ask('GET', '/api/v1/people', { cookie: cookies.owner }));
    expect(people.map(({ name }) => name)).not.toContain('Somebody else');
  });

  it('is nobody with a cookie or token that is none', async () => {
    for (const cookie of [
      'session=x',
      `session=${'y'.repeat(3000)}`,
      "session='; DROP TABLE people; --",
      'session=',
      cookies.owner.replace(/session=..../, 'session=AAAA'),
    ])
      expect((await ask('GET', '/api/v1/jobs', { cookie })).status).toBe(401);
    for (const authorization of [
      'Bearer',
      'Bearer x',
      'Basic aWRhOng=',
      `Bearer gentle-tide-${'z'.repeat(190)}`,
      'Bearer gentle-tide-\u00e4',
    ])
      expect((await ask('GET', '/api/v1/jobs', { headers: { authorization } })).status).toBe(401);
  });
});

describe('the log', () => {
  it('has every request with its id, and no secret', async () => {
    const { headers } = await fetch(`${server.address}/api/v1/jobs`, { headers: { cookie: cookies.owner } });
    const logged = (): { request?: string; msg: string }[] =>
      said
        // The last line may not have come whole.
        .slice(0, said.lastIndexOf('\n') + 1)
        .split('\n')
        .filter((line) => line.startsWith('{'))
        .map((line) => JSON.parse(line) as { request?: string; msg: string });
    // The log comes by a pipe of its own, so its line may come after the answer.
    await expect
      .poll(() => logged().some(({ request }) => request === headers.get('x-request-id')), {
        timeout: 10_000,
      })
      .toBe(true);
    expect(logged().filter(({ msg }) => msg === 'request').length).toBeGreaterThan(100);
    const secrets = [
      PASSPHRASE,
      ...Object.values(cookies).flatMap((cookie) =>
        [...cookie.matchAll(/=([\w-]{20,})/g)].map(([, value]) => value!),
      ),
    ];
    expect(secrets.length).toBeGreaterThan(5);
    const inLines = said
      .split('\n')
      .filter((line) => line.startsWith('{'))
      .join('\n');
    for (const secret of secrets) expect(inLines).not.toContain(secret);
  });
});
