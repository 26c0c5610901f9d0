import { afterEach, describe, expect, it, vi } from 'vitest';
import { addressOf, call, clientOf } from './client';

afterEach(() => {
  vi.unstubAllGlobals();
});
const answering = (body: BodyInit, status = 200) =>
  vi.stubGlobal('fetch', () => Promise.resolve(new Response(body, { status })));

const body = { version: 1, workshop: {} };

describe('a call to the server', () => {
  it('sends JSON as such, and reads the answer', async () => {
    const asked: [string, RequestInit][] = [];
    vi.stubGlobal('fetch', (address: string, init: RequestInit) => {
      asked.push([address, init]);
      return Promise.resolve(Response.json({ number: 2614, version: 2 }));
    });
    const put = { number: 2614, body: { version: 1, archived: true } };
    expect(await call('PUT /jobs/{number}/archive', put)).toEqual({
      ok: true,
      value: { number: 2614, version: 2 },
    });
    const authorization = 'Bearer gentle-tide-x';
    const program = clientOf({ base: 'https://bench.test', headers: { authorization } });
    await program('GET /jobs', { query: { q: 'Tern & Co', page: 2 } });
    await program('POST /jobs/import', { body: new Uint8Array([1]), type: 'application/zip' });
    expect(asked).toEqual([
      [
        '/api/v1/jobs/2614/archive',
        {
          method: 'PUT',
          headers: { 'content-type': 'application/json' },
          body: '{"version":1,"archived":true}',
        },
      ],
      ['https://bench.test/api/v1/jobs?q=Tern+%26+Co&page=2', { method: 'GET', headers: { authorization } }],
      [
        'https://bench.test/api/v1/jobs/import',
        {
          method: 'POST',
          headers: { authorization, 'content-type': 'application/zip' },
          body: new Uint8Array([1]),
        },
      ],
    ]);
    expect(addressOf('GET /images/{name}', { name: 'a b/c.img' })).toBe('/api/v1/images/a%20b%2Fc.img');
  });

  it('gives a refusal with what it says of each field, and the version that is there', async () => {
    const errors = [{ path: '/size', message: 'It has that already.' }];
    answering(JSON.stringify({ detail: 'Bad input.', errors, current: 8 }), 409);
    expect(await call('PUT /workshop', { body })).toEqual({
      ok: false,
      refusal: { status: 409, detail: 'Bad input.', fields: errors, current: 8, seconds: null },
    });
    answering('{}', 500);
    expect(await call('PUT /workshop', { body })).toMatchObject({
      ok: false,
      refusal: {
        status: 500,
        detail: 'The server refused without a reason.',
        fields: [],
        current: null,
        seconds: null,
      },
    });
  });

  it('says that nothing was saved where the server can’t be reached, or something else answers', async () => {
    vi.stubGlobal('fetch', () => Promise.reject(new TypeError('failed')));
    const unreachable = await call('PUT /workshop', { body });
    answering('<html>', 502);
    const strange = await call('PUT /workshop', { body });
    for (const [reply, status] of [
      [unreachable, 0],
      [strange, 502],
    ] as const) {
      expect(reply).toMatchObject({
        ok: false,
        refusal: { status, fields: [], current: null, seconds: null },
      });
      expect(reply.ok ? '' : reply.refusal.detail).toContain('Nothing was saved');
    }
  });

  it('knows an answer without content, and how long the next try has to wait', async () => {
    vi.stubGlobal('fetch', () => Promise.resolve(new Response(null, { status: 204 })));
    expect(await call('DELETE /me/wrong-tries')).toEqual({ ok: true, value: null });
    answering(JSON.stringify({ detail: 'After several wrong tries …', seconds: 8 }), 429);
    expect(await call('PUT /workshop', { body })).toMatchObject({
      ok: false,
      refusal: { status: 429, seconds: 8 },
    });
  });
});
