import fc from 'fast-check';
import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest';
import type { Tick } from '$core/worksheet';
import { TickDesk } from './tickDesk.svelte';

/** What the server holds, and how the way to it is: open, cut, or losing the answer to what it took. */
const server = { ticks: new Map<string, Tick>(), way: 'open' as 'open' | 'cut' | 'answer lost' | 'refuses' };
let listeners: (() => void)[] = [];
let store: Map<string, string>;

beforeEach(() => {
  server.ticks.clear();
  server.way = 'open';
  store = new Map();
  listeners = [];
  vi.stubGlobal('window', {
    addEventListener: (_: string, listener: () => void) => listeners.push(listener),
    removeEventListener: () => undefined,
  });
  vi.stubGlobal('localStorage', {
    getItem: (key: string) => store.get(key) ?? null,
    setItem: (key: string, value: string) => store.set(key, value),
  });
  vi.stubGlobal('fetch', (_: string, { body }: { body?: string }) => {
    if (server.way === 'cut') return Promise.reject(new Error('no network'));
    if (server.way === 'refuses') {
      return Promise.resolve(Response.json({ detail: 'no such item' }, { status: 422 }));
    }
    for (const tick of ticksIn(body)) {
      if (!server.ticks.has(tick.id)) server.ticks.set(tick.id, tick);
    }
    if (server.way === 'answer lost') return Promise.reject(new Error('cut while answering'));
    return Promise.resolve(Response.json({ ticks: [...server.ticks.values()] }));
  });
});
afterEach(() => vi.unstubAllGlobals());

/** What is sent; without a body it is only asked what there is. */
const ticksIn = (body: string | undefined): Tick[] =>
  body === undefined ? [] : (JSON.parse(body) as { ticks: Tick[] }).ticks;

/** Long enough for every answer that is under way. */
const settle = async (): Promise<void> => {
  for (let i = 0; i < 20; i++) await new Promise((resolve) => setImmediate(resolve));
};
const look = async (): Promise<void> => {
  listeners.at(-1)!();
  await settle();
};
const tick = (item: string) => ({
  item,
  outcome: 'done' as const,
  who: 'Ida',
  note: '',
  seconds: null,
  answers: {},
});
const begun = (kept: readonly Tick[] = []): TickDesk => {
  const desk = new TickDesk({ number: 1, id: 1 }, 'sheet-1', kept);
  ends.push(desk.begin());
  return desk;
};
const ends: (() => void)[] = [];
afterEach(() => ends.splice(0).forEach((end) => end()));

const idsOf = (ticks: Iterable<Tick>): string[] => [...ticks].map((one) => one.id).sort();

describe('the desk of ticks', () => {
  it('loses no tick and keeps none twice, whatever becomes of the network and the page', () =>
    fc.assert(
      fc.asyncProperty(
        fc.array(fc.constantFrom('tick', 'open', 'cut', 'answer lost', 'look', 'reload'), { maxLength: 25 }),
        async (events) => {
          server.ticks.clear();
          server.way = 'open';
          store.clear();
          let desk = begun();
          let made = 0;
          for (const event of events) {
            if (event === 'tick') desk.add(tick(`item-${made++}`));
            else if (event === 'look') await look();
            else if (event === 'reload') {
              // A page that comes anew knows what the server had, and what this device kept.
              ends.splice(0).forEach((end) => end());
              await settle();
              desk = begun([...server.ticks.values()]);
            } else server.way = event;
          }
          server.way = 'open';
          await look();
          await look();
          expect(server.ticks.size).toBe(made);
          expect(idsOf(desk.ticks)).toEqual(idsOf(server.ticks.values()));
          expect([desk.waiting.length, desk.offline, desk.refusal]).toEqual([0, false, null]);
        },
      ),
      { numRuns: 60 },
    ));

  it('shows a tick at once, and says that it waits while the server is out of reach', async () => {
    server.way = 'cut';
    const desk = begun();
    desk.add(tick('step-1'));
    expect(desk.ticks.map((one) => one.item)).toEqual(['step-1']);
    await settle();
    expect([desk.offline, desk.waiting.length]).toEqual([true, 1]);
  });

  it('tells a refusal from a lost connection, keeps what was refused, and lets go of it only when told to', async () => {
    const desk = begun();
    await settle();
    server.way = 'refuses';
    desk.add(tick('nonsense'));
    await settle();
    expect([desk.offline, desk.refusal?.detail, desk.waiting.length]).toEqual([false, 'no such item', 1]);
    desk.discard();
    expect([desk.ticks.length, desk.waiting.length, desk.refusal]).toEqual([0, 0, null]);
  });

  it('does not send again what was refused, unless told to, and lets nothing else be kept back by it', async () => {
    const asked: string[][] = [];
    vi.stubGlobal('fetch', (_: string, { body }: { body?: string }) => {
      const ticks = ticksIn(body);
      asked.push(ticks.map(({ item }) => item));
      if (ticks.some(({ item }) => item === 'nonsense'))
        return Promise.resolve(Response.json({ detail: 'no such item' }, { status: 422 }));
      for (const one of ticks) server.ticks.set(one.id, one);
      return Promise.resolve(Response.json({ ticks: [...server.ticks.values()] }));
    });
    store.set(
      'sheet-1-waiting',
      JSON.stringify(['a', 'nonsense', 'b'].map((item, i) => ({ ...tick(item), id: `t${i}`, at: '' }))),
    );
    const desk = begun();
    await settle();
    expect([...server.ticks.values()].map(({ item }) => item)).toEqual(['a', 'b']);
    expect([desk.offline, desk.refusal?.detail, desk.waiting.map(({ item }) => item)]).toEqual([
      false,
      'no such item',
      ['nonsense'],
    ]);
    const before = asked.length;
    await look();
    await look();
    expect(asked.slice(before)).toEqual([[], []]);
    expect(desk.refusal?.detail).toBe('no such item');
    desk.again();
    await settle();
    expect(asked.at(-1)).toEqual(['nonsense']);
  });

  it.each([
    [500, false],
    [404, false],
    [413, false],
    [503, true],
  ])('takes an answer %i for being out of reach: %s', async (status, offline) => {
    vi.stubGlobal('fetch', () => Promise.resolve(new Response('<html>', { status })));
    const desk = begun();
    desk.add(tick('step-1'));
    await settle();
    expect([desk.offline, desk.refusal !== null, desk.waiting.length]).toEqual([offline, !offline, 1]);
  });

  it('keeps what waits where nobody is signed in any more, and sends it once somebody is', async () => {
    let signedIn = false;
    const open = fetch;
    vi.stubGlobal('fetch', (path: string, options: RequestInit) =>
      signedIn
        ? open(path, options)
        : Promise.resolve(Response.json({ detail: 'Sign in first.' }, { status: 401 })),
    );
    const desk = begun();
    desk.add(tick('step-1'));
    await settle();
    expect([desk.signedOut, desk.offline, desk.refusal, desk.waiting.length]).toEqual([true, false, null, 1]);
    await look();
    expect(desk.waiting.length).toBe(1);
    signedIn = true;
    await look();
    expect([desk.signedOut, desk.waiting.length, server.ticks.size]).toEqual([false, 0, 1]);
  });

  it('tells when the server took something, so that the page that is kept is kept anew', async () => {
    let taken = 0;
    const desk = new TickDesk({ number: 1, id: 1 }, 'sheet-1', [], () => taken++);
    ends.push(desk.begin());
    await settle();
    expect(taken).toBe(0);
    desk.add(tick('step-1'));
    await settle();
    expect(taken).toBe(1);
  });

  it('shows what another device ticked, and keeps a running clock through a reload', async () => {
    const desk = begun();
    await settle();
    desk.setClock({ item: 'step-2', since: 1000 });
    const other = { ...tick('before-medium'), id: 'from-elsewhere', at: '2026-11-20T10:00:00.000Z' };
    server.ticks.set(other.id, other);
    await look();
    expect(desk.ticks.map((one) => one.id)).toEqual(['from-elsewhere']);
    expect(begun().clock).toEqual({ item: 'step-2', since: 1000 });
    desk.add(tick('step-2'));
    expect(desk.clock).toBeNull();
  });
});
