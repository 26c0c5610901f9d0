import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { share } from '../src/lib/core/test/evidence';
import { diskSpec, surveyWith } from '../src/lib/core/survey/sketch';
import { tryPort } from '../scripts/ports.mjs';
import { serve } from '../scripts/server.mjs';
import { expect, takesTurn, test } from './test';

const MIB = 2 ** 20;
type Server = Awaited<ReturnType<typeof serve>>;

/** Servers of their own on a database of their own: nothing else takes from its queue. */
const url = process.env['SERVERS_DATABASE_URL'];
const keeperUrl = process.env['SERVERS_MIGRATION_URL'];
const folder = mkdtempSync(join(tmpdir(), 'gentle-tide-servers-'));
const running: Server[] = [];

test.skip(!url, 'needs a database of its own');
test.afterAll(async () => {
  for (const server of running) await server.stop();
  rmSync(folder, { recursive: true, force: true });
});

async function started(): Promise<Server> {
  process.env['GENTLE_TIDE_REHEARSALS'] = folder;
  const port = (await tryPort(0, '127.0.0.1')) ?? 0;
  const server = await serve({
    port,
    host: '127.0.0.1',
    databaseUrl: url!,
    ...(keeperUrl ? { migrationUrl: keeperUrl } : {}),
    demo: false,
  });
  running.push(server);
  return server;
}

const ask = async <T>(path: string, method = 'GET', body?: object): Promise<T> => {
  const reply = await fetch(path, {
    method,
    headers: { 'content-type': 'application/json' },
    ...(body ? { body: JSON.stringify(body) } : {}),
  });
  expect(reply.ok, `${method} ${path}: ${reply.status}`).toBe(true);
  return (await reply.json()) as T;
};

interface Run {
  id: number;
  state: string;
  verdict: string | null;
  progress: { phase: string; arrived: number; cuts: number };
}

/** A disk whose recovery partition moves aside, in MiB. */
interface Sizes {
  disk: number;
  windows: [size: number, used: number];
  recovery: [size: number, used: number];
  goal: number;
}
const LAPTOP: Sizes = {
  disk: 60 * 1024,
  windows: [20 * 1024, 18 * 1024],
  recovery: [2048, 1800],
  goal: 40 * 1024,
};
/** So little that a run of it is over in a moment. */
const CARD: Sizes = { disk: 200, windows: [40, 7], recovery: [20, 7], goal: 100 };

/** A job on such a disk; its address. */
async function job(server: Server, { disk, windows, recovery, goal }: Sizes): Promise<string> {
  const { number } = await ask<{ number: number }>(`${server.address}/api/v1/jobs`, 'POST', {
    customer: 'Harbour Ferry Office',
    machine: 'pier',
  });
  const survey = surveyWith(
    diskSpec({ size: disk, seed: number }, [
      { role: 'windows', size: windows[0], used: windows[1], letter: 'C' },
      { role: 'recovery', size: recovery[0], used: recovery[1] },
    ]),
  );
  const path = `${server.address}/api/v1/jobs/${number}`;
  await ask(`${path}/survey`, 'PUT', { version: 1, source: 'document', survey });
  await ask(`${path}/goal`, 'PUT', { version: 2, size: goal * MIB, options: { kits: ['offline-mover'] } });
  return path;
}

async function until(path: string, wanted: (run: Run) => boolean, seconds: number): Promise<Run> {
  for (const late = Date.now() + seconds * 1000; ;) {
    const run = await ask<Run>(path);
    if (wanted(run)) return run;
    if (Date.now() > late) throw new Error(`still ${JSON.stringify(run).slice(0, 300)}`);
    await new Promise((done) => setTimeout(done, 150));
  }
}

/** Runs that two servers share at once. */
const RUNS = share(10, 4);

test('two servers share runs and tell each other what is done; a run whose server is killed is finished by one that starts then', async () => {
  takesTurn(0, 2);
  const [one, other] = [await started(), await started()];
  const stop = new AbortController();
  const reply = await fetch(`${other.address}/api/v1/events`, { signal: stop.signal });
  const reader = reply.body!.pipeThrough(new TextDecoderStream()).getReader();
  let said = '';
  const hears = async (text: string): Promise<void> => {
    while (!said.includes(text)) {
      const { done, value } = await reader.read();
      if (done) throw new Error(`the feed ended before it said ${text}`);
      said += value;
    }
  };
  await hears('event: here');

  const paths: string[] = [];
  for (let i = 0; i < RUNS; i++) paths.push(await job(i % 2 ? one : other, CARD));
  const ids = await Promise.all(
    paths.map(async (path) => (await ask<Run>(`${path}/rehearsals`, 'POST', { pace: 'fast' })).id),
  );
  for (const [i, path] of paths.entries()) {
    const ended = await until(`${path}/rehearsals/${ids[i]}`, ({ state }) => state === 'ended', 180);
    expect([ended.verdict, ended.progress.cuts]).toEqual(['proved', 0]);
    const history = await ask<{ what: string }[]>(`${path}/history`);
    expect(history.filter(({ what }) => what.startsWith('Rehearsal ended'))).toHaveLength(1);
  }

  const { number } = await ask<{ number: number }>(`${one.address}/api/v1/jobs`, 'POST', {
    customer: 'Gull Rock Pottery',
    machine: 'kiln desk',
  });
  await hears(`"job":${number}`);
  stop.abort();

  await other.stop();
  const path = await job(one, LAPTOP);
  const { id } = await ask<Run>(`${path}/rehearsals`, 'POST', { pace: 'drive' });
  await until(
    `${path}/rehearsals/${id}`,
    ({ progress }) => progress.phase === 'carrying-out' && progress.arrived > 0,
    60,
  );
  process.kill(one.pid, 'SIGKILL');
  await one.exited;
  const again = `${(await started()).address}${new URL(path).pathname}/rehearsals/${id}`;
  await ask(again, 'PUT', { wish: 'fast' });
  const ended = await until(again, ({ state }) => state === 'ended', 120);
  expect([ended.verdict, ended.progress.cuts]).toEqual(['proved', 1]);
  const proof = await ask<{ verdict: string; differences: string[] }>(`${again}/proof`);
  expect([proof.verdict, proof.differences]).toEqual(['proved', []]);
});
