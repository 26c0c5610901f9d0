import { ROLES, SCOPES } from '$contract/roles';
import { readdirSync, readFileSync } from 'node:fs';
import { describe, expect, it } from 'vitest';
import { ENDPOINTS } from '$contract';
import { demandOf, isFromOwnPage } from './gate';
import { PAGES } from './pages';

const files = readdirSync('src/routes', { recursive: true, encoding: 'utf8' }).map(
  (file) => `src/routes/${file}`,
);
/** What the folder of routes has, which knows nothing of the tables. */
const routeOf = (file: string): string =>
  file.replace(/^src\/routes/, '').replace(/\/\+(page|server)[^/]*$/, '') || '/';
const served = files
  .filter((file) => file.endsWith('/+server.ts'))
  .flatMap((file) =>
    [...readFileSync(file, 'utf8').matchAll(/^export const (?:\{ ([A-Z, ]+) \}|([A-Z]+)\b)/gm)].flatMap(
      ([, several, one]) =>
        (several ?? one!)
          .split(', ')
          .filter((method) => method !== 'HEAD')
          .map((method) => ({ route: routeOf(file), method })),
    ),
  );
const pages = [...new Set(files.filter((file) => /\/\+page[^/]*$/.test(file)).map(routeOf))];
const name = ({ route, method }: { route: string; method: string }): string =>
  `${method} ${route.replaceAll('[', '{').replaceAll(']', '}')}`;

describe('whom addresses answer', () => {
  it('is said of every endpoint and every page, and of none that is not there', () => {
    expect(served.length).toBeGreaterThan(60);
    const inTables = [
      ...ENDPOINTS.map(({ method, path }) => `${method} ${path}`),
      ...Object.keys(PAGES).map((route) => `page ${route}`),
    ].sort();
    const onDisk = [
      ...served.filter(({ route }) => PAGES[route] === undefined).map(name),
      ...served.filter(({ route }) => PAGES[route] !== undefined).map(({ route }) => `page ${route}`),
      ...pages.map((route) => `page ${route}`),
    ];
    expect([...new Set(onDisk)].sort()).toEqual(inTables);
  });

  it('lets no reader change anything, and nobody who is not signed in but to sign in and out', () => {
    const changes = ENDPOINTS.filter(({ method }) => method !== 'GET');
    const of = (need: string) =>
      changes.filter(({ endpoint }) => endpoint.need === need).map(({ method, path }) => `${method} ${path}`);
    const open = of('anyone');
    expect(open.sort()).toEqual([
      'POST /api/v1/sign-in',
      'POST /api/v1/sign-in/invitation',
      'POST /api/v1/sign-out',
    ]);
    const readers = of('reader');
    // What only computes, and what is about oneself.
    expect(readers.sort()).toEqual([
      'DELETE /api/v1/me/wrong-tries',
      'DELETE /api/v1/sessions/{id}',
      'POST /api/v1/diagnosis',
      'POST /api/v1/me/device',
      'POST /api/v1/routes',
      'PUT /api/v1/me/secrets',
    ]);
  });

  it('lets no program at people, sessions and tokens', () => {
    const withScope = ENDPOINTS.flatMap(({ method, path, endpoint: { scope, need } }) =>
      scope === null ? [] : [{ endpoint: `${method} ${path}`, scope, need }],
    );
    for (const { endpoint } of withScope)
      expect(endpoint).not.toMatch(/people|sessions|devices|tokens|sign|\/me(\/|$)/);
    // Whoever may only read by his token changes nothing by it.
    for (const { endpoint, scope, need } of withScope)
      if (scope.endsWith(':read'))
        expect(endpoint, endpoint).toMatch(/^GET |^POST \/api\/v1\/(diagnosis|routes)$/);
      else expect(need).not.toBe('reader');
    expect([...new Set(withScope.map(({ scope }) => scope))].sort()).toEqual([...SCOPES].sort());
  });

  it('is for owners where a route stands in no table', () => {
    expect(demandOf('/something/new', 'GET')).toEqual({ need: 'owner', scope: null });
    expect(demandOf('/', 'HEAD').need).toBe('reader');
    expect(ROLES).toContain(demandOf('/api/v1/jobs', 'PATCH').need);
  });
});

describe('a request that changes something', () => {
  const by = (method: string, headers: Record<string, string>) => isFromOwnPage(method, new Headers(headers));
  it('comes from a page of this server, or from a program with a token', () => {
    expect(by('POST', { 'sec-fetch-site': 'same-origin' })).toBe(true);
    expect(by('POST', { origin: 'https://bench.lan' })).toBe(true);
    expect(by('DELETE', { authorization: 'Bearer x' })).toBe(true);
    expect(by('GET', {})).toBe(true);
    for (const site of ['cross-site', 'same-site', 'none'])
      expect(by('POST', { 'sec-fetch-site': site, origin: 'https://evil.example' }), site).toBe(false);
    expect(by('POST', {})).toBe(false);
  });
});
