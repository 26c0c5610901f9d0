import { mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { afterAll, afterEach, describe, expect, it } from 'vitest';
import { NotDone, Pool, type PoolLimits, type Wanted } from './pool';
import { processOf, threadOf } from './runner';

const folder = mkdtempSync(join(tmpdir(), 'gentle-tide-threads-'));
afterAll(() => rmSync(folder, { recursive: true }));

/** A thread that does what its input says. */
const bundle = join(folder, 'thread.mjs');
writeFileSync(
  bundle,
  `import { parentPort } from 'node:worker_threads';
const port = parentPort ?? { on: (_, work) => process.on('message', work), postMessage: (answer) => process.send(answer) };
const wait = (ms) => new Promise((done) => setTimeout(done, ms));
port.on('message', async ({ id, input, stop }) => {
  const say = (value) => port.postMessage({ id, value });
  if (input.die) process.exit(3);
  if (input.throw) return port.postMessage({ id, error: input.throw });
  if (input.fill) { const all = []; for (;;) all.push(new Array(1000).fill(all.length)); }
  if (input.spin) { const until = Date.now() + input.spin; while (Date.now() < until && Atomics.load(stop, 0) === 0); return say(Atomics.load(stop, 0)); }
  if (input.deaf) { const until = Date.now() + input.deaf; while (Date.now() < until); return say('late'); }
  if (input.wait) await wait(input.wait);
  say(input.give);
});
`,
);

const LIMITS: PoolLimits = { threads: 2, waiting: 6, waitingEach: 4, bytes: 1000 };
const pools: Pool[] = [];
const poolOf = (limits: Partial<PoolLimits> = {}, begin = threadOf(bundle, 100)): Pool => {
  const pool = new Pool(begin, { ...LIMITS, ...limits });
  pools.push(pool);
  return pool;
};
afterEach(() => Promise.all(pools.splice(0).map((pool) => pool.close())));

const ask = (pool: Pool, input: object, wanted: Partial<Wanted> = {}, task: 'plan' | 'routes' = 'plan') =>
  pool.run(task, input, { milliseconds: 5000, atOnce: 2, bytes: 1, key: 'ida', gone: null, ...wanted });
const why = (asked: Promise<unknown>): Promise<string> =>
  asked.then(
    (value) => `did: ${String(value)}`,
    (error: unknown) => (error instanceof NotDone ? error.why : `error: ${(error as Error).message}`),
  );

describe('a pool of threads', () => {
  it('gives everybody the answer to what they asked', async () => {
    const pool = poolOf();
    const asked = [60, 5, 30, 1].map((ms) => ask(pool, { wait: ms, give: ms }));
    expect(await Promise.all(asked)).toEqual([60, 5, 30, 1]);
    expect(await why(ask(pool, { throw: 'no such disk' }))).toBe('error: no such disk');
  });

  it('has a queue with an end: for all, for each, and in bytes', async () => {
    const pool = poolOf();
    const many = (count: number, key: string) =>
      Array.from({ length: count }, () => why(ask(pool, { wait: 100, give: 1 }, { key })));
    const mine = many(2 + 5, 'ida');
    const yours = many(3, 'jo');
    const answers = await Promise.all([...mine, ...yours]);
    expect(answers).toEqual([
      ...Array.from({ length: 6 }, () => 'did: 1'),
      'busy',
      'did: 1',
      'did: 1',
      'busy',
    ]);
    const both = [ask(pool, { wait: 50, give: 1 }), ask(pool, { wait: 50, give: 1 })];
    expect(await why(ask(pool, { give: 1 }, { bytes: 1001 }))).toBe('busy');
    await Promise.all(both);
  });

  it('lets those who wait take turns, however much one of them asks for', async () => {
    const pool = poolOf({ threads: 1, waiting: 20, waitingEach: 20 });
    const order: string[] = [];
    const say = (name: string) =>
      ask(pool, { wait: 2, give: name }, { key: name[0]! }).then(() => order.push(name));
    await Promise.all(['a1', 'a2', 'a3', 'a4', 'a5', 'b1', 'b2', 'c1'].map(say));
    expect(order.slice(0, 5)).toEqual(['a1', 'b1', 'c1', 'a2', 'b2']);
  });

  it('keeps a thread free of what may hold all of them', async () => {
    const pool = poolOf();
    const order: string[] = [];
    const large = ['large 1', 'large 2', 'large 3'].map((name) =>
      ask(pool, { wait: 150, give: name }, { atOnce: 1 }, 'routes').then(() => order.push(name)),
    );
    const quick = ask(pool, { give: 'quick' }, { key: 'jo' }).then(() => order.push('quick'));
    await Promise.all([...large, quick]);
    expect(order.indexOf('quick')).toBeLessThan(order.indexOf('large 2'));
  });

  it('drops what nobody waits for any more, and stops it where it is at work', async () => {
    const pool = poolOf({ threads: 1 });
    const leave = [new AbortController(), new AbortController(), new AbortController()];
    const spinning = why(ask(pool, { spin: 20_000 }, { gone: leave[0]!.signal }));
    const waiting = why(ask(pool, { give: 1 }, { gone: leave[1]!.signal }));
    leave[2]!.abort();
    expect(await why(ask(pool, { give: 1 }, { gone: leave[2]!.signal }))).toBe('left');
    leave[1]!.abort();
    expect(await waiting).toBe('left');
    leave[0]!.abort();
    expect(await spinning).toBe('left');
    // Stopped, or this would not come within its own time.
    expect(await ask(pool, { give: 'next' }, { milliseconds: 2000 })).toBe('next');
  });

  it('ends a thread that does not listen, takes too long or ends itself, and goes on', async () => {
    const pool = poolOf({ threads: 1, waiting: 20, waitingEach: 20 });
    const leave = new AbortController();
    const deaf = why(ask(pool, { deaf: 20_000 }, { gone: leave.signal }));
    setTimeout(() => leave.abort(), 200);
    const asked = [
      deaf,
      why(ask(pool, { give: 1 })),
      why(ask(pool, { deaf: 20_000 }, { milliseconds: 200 })),
      why(ask(pool, { die: true })),
      why(ask(pool, { give: 2 })),
    ];
    expect(await Promise.all(asked)).toEqual(['left', 'did: 1', 'slow', 'died', 'did: 2']);
  });

  it('loses nothing but the one task that takes more memory than it may, in a process of its own', async () => {
    const pool = poolOf({ threads: 1, waiting: 20, waitingEach: 20 }, processOf(bundle, 60));
    const bytes = new Uint8Array([1, 2, 3]);
    const asked = [
      why(ask(pool, { give: bytes.join() })),
      why(ask(pool, { fill: true })),
      why(ask(pool, { deaf: 20_000 }, { milliseconds: 500 })),
      why(ask(pool, { give: 2 })),
    ];
    expect(await Promise.all(asked)).toEqual(['did: 1,2,3', 'died', 'slow', 'did: 2']);
  });
});
