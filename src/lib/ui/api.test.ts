import { afterEach, describe, expect, it, vi } from 'vitest';
import { send } from './api';

afterEach(() => {
  vi.unstubAllGlobals();
});
const answering = (body: BodyInit, status = 200) =>
  vi.stubGlobal('fetch', () => Promise.resolve(new Response(body, { status })));

describe('sending to the server', () => {
  it('sends JSON as such, and reads the answer', async () => {
    const asked: RequestInit[] = [];
    vi.stubGlobal('fetch', (_: string, init: RequestInit) => {
      asked.push(init);
      return Promise.resolve(Response.json({ number: 2614, version: 2 }));
    });
    expect(await send('PUT', '/api/v1/jobs/2614', { notes: 'ü' })).toEqual({
      ok: true,
      value: { number: 2614, version: 2 },
    });
    expect(asked).toEqual([
      { method: 'PUT', headers: { 'content-type': 'application/json' }, body: '{"notes":"ü"}' },
    ]);
  });

  it('gives a refusal with what it says of each field, and the version that is there', async () => {
    const errors = [{ path: '/size', message: 'It has that already.' }];
    answering(JSON.stringify({ detail: 'Bad input.', errors, current: 8 }), 409);
    expect(await send('PUT', '/x', {})).toEqual({
      ok: false,
      refusal: { status: 409, detail: 'Bad input.', fields: errors, current: 8, seconds: null },
    });
    answering('{}', 500);
    expect(await send('PUT', '/x', {})).toMatchObject({
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
    const unreachable = await send('POST', '/x', {});
    answering('<html>', 502);
    const strange = await send('POST', '/x', {});
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
    expect(await send('DELETE', '/x')).toEqual({ ok: true, value: null });
    answering(JSON.stringify({ detail: 'After several wrong tries …', seconds: 8 }), 429);
    expect(await send('POST', '/x', {})).toMatchObject({ ok: false, refusal: { status: 429, seconds: 8 } });
  });
});
