import { spawn } from 'node:child_process';
import { createHash } from 'node:crypto';
import { mkdtempSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { unzipSync, zipSync, strToU8 } from 'fflate';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { DAY, share, shareOf, WHOLE } from '../src/lib/core/test/evidence';
import { startDatabase } from '../scripts/privateDatabase.mjs';
import { tryPort } from '../scripts/ports.mjs';
import { runs } from '../scripts/processes.mjs';
import { serve } from '../scripts/server.mjs';
import { chance } from './chance';
import { makeJob, operationsOf, type Operation } from './api';
import { sendTo } from './send';

// A server and a database of its own, since they are stopped, frozen and killed here.
type Database = Awaited<ReturnType<typeof startDatabase>>;
type Server = Awaited<ReturnType<typeof serve>>;
const folder = mkdtempSync(join(tmpdir(), 'ending-'));
let database: Database;
let server: Server;
let operations: Operation[];

const begin = async (): Promise<Server> =>
  serve({
    port: (await tryPort(0, '127.0.0.1')) ?? 0,
    host: '127.0.0.1',
    databaseUrl: database.url('ending'),
    migrationUrl: database.keeperUrl('ending'),
    demo: false,
  });

beforeAll(async () => {
  database = await startDatabase(join(folder, 'database'), ['ending']);
  server = await begin();
  operations = await operationsOf(server.address);
});
afterAll(async () => {
  await server.stop();
  await database.stop();
});

/** Kills of a server that is written to. */
const ROUNDS = share(3, 2);
const json = { 'content-type': 'application/json' };
const get = (path: string) => sendTo(server.address, { method: 'GET', path });
const addJob = (machine: string) =>
  sendTo(server.address, {
    method: 'POST',
    path: '/api/v1/jobs',
    headers: json,
    body: JSON.stringify({ customer: 'Salt Pan Library', machine }),
  });

describe('a server', () => {
  it('ends with whoever started it, also where they are killed', async () => {
    const script = `
      import { serve } from './scripts/server.mjs';
      import { tryPort } from './scripts/ports.mjs';
      const port = await tryPort(0, '127.0.0.1');
      const { pid } = await serve({ port, host: '127.0.0.1', databaseUrl: process.argv[1], migrationUrl: process.argv[2], demo: false });
      console.log('pid', pid);
      setInterval(() => {}, 1000);`;
    const urls = [database.url('ending'), database.keeperUrl('ending')];
    const starter = spawn(process.execPath, ['--input-type=module', '-e', script, ...urls]);
    const pid = await new Promise<number>((found) =>
      starter.stdout.on('data', (text: Buffer) => {
        const said = /pid (\d+)/.exec(text.toString());
        if (said) found(Number(said[1]));
      }),
    );
    expect(runs(pid, 'main.mjs')).toBe(true);
    starter.kill('SIGKILL');
    await expect.poll(() => runs(pid, 'main.mjs'), { timeout: 30_000 }).toBe(false);
  });

  it('answers that it can’t while the database is frozen, and goes on once it is not', async () => {
    process.kill(database.pid, 'SIGSTOP');
    try {
      const all = await Promise.all([
        ...Array.from({ length: 30 }, () => get('/api/v1/jobs')),
        addJob('frozen'),
        get('/'),
      ]);
      expect(all.map(({ status }) => status)).toEqual(all.map(() => 503));
      expect(all.every(({ headers }) => Number(headers['retry-after']) > 0)).toBe(true);
      // What needs no database is answered as ever.
      expect((await get('/schemas/survey.json')).status).toBe(200);
    } finally {
      process.kill(database.pid, 'SIGCONT');
    }
    await expect.poll(async () => (await get('/api/v1/jobs')).status, { timeout: 20_000 }).toBe(200);
    expect((await addJob('after')).status).toBe(201);
  });

  it('loses nothing that it acknowledged when it is killed', async () => {
    const acknowledged: string[] = [];
    for (let round = 0; round < ROUNDS; round++) {
      let going = true;
      const writers = Array.from({ length: 6 }, async (_, w) => {
        for (let i = 0; going; i++) {
          const machine = `kept ${round} ${w} ${i}`;
          const answer = await addJob(machine).catch(() => null);
          if (answer?.status === 201) acknowledged.push(machine);
        }
      });
      await expect.poll(() => acknowledged.length, { timeout: 30_000 }).toBeGreaterThan(30 * (round + 1));
      process.kill(server.pid, 'SIGKILL');
      going = false;
      await Promise.all(writers);
      await server.exited;
      server = await begin();
    }
    const found = new Set<string>();
    for (let page = 1; ; page++) {
      const { jobs } = JSON.parse((await get(`/api/v1/jobs?size=200&page=${page}`)).text) as {
        jobs: { machine: string }[];
      };
      if (jobs.length === 0) break;
      for (const { machine } of jobs) found.add(machine);
    }
    expect(acknowledged.length).toBeGreaterThan(30 * ROUNDS);
    expect(acknowledged.filter((machine) => !found.has(machine))).toEqual([]);
  });

  it('ends when it is told to, once what it was asked is answered', async () => {
    const { example } = operations.find(({ path }) => path === '/api/v1/routes')!;
    const plans = Array.from({ length: 6 }, () =>
      sendTo(server.address, {
        method: 'POST',
        path: '/api/v1/routes',
        headers: json,
        body: JSON.stringify(example),
      }),
    );
    // What is asked behind them is answered once they were taken: a connection that nobody took yet may well be
    // refused.
    await get('/schemas/survey.json');
    process.kill(server.pid, 'SIGTERM');
    expect((await Promise.all(plans)).map(({ status }) => status)).toEqual(plans.map(() => 200));
    await server.exited;
    await expect(get('/')).rejects.toThrow();
    server = await begin();
  });
});

describe('a job’s file', () => {
  let file: Record<string, Uint8Array>;
  beforeAll(async () => {
    const { number } = await makeJob(server.address, operations);
    const { bytes } = await get(`/api/v1/jobs/${number}/export`);
    file = unzipSync(bytes);
  });

  const zipped = (parts: Record<string, Uint8Array>): Uint8Array => {
    const contents = JSON.parse(new TextDecoder().decode(file['contents.json'])) as { parts: object };
    const hashes = Object.entries(parts)
      .filter(([name]) => name !== 'contents.json')
      .map(([name, bytes]) => [name, createHash('sha256').update(bytes).digest('hex')]);
    const list = strToU8(JSON.stringify({ ...contents, parts: Object.fromEntries(hashes) as object }));
    return zipSync({ ...parts, 'contents.json': list });
  };
  const importing = (body: Uint8Array) =>
    sendTo(server.address, {
      method: 'POST',
      path: '/api/v1/jobs/import',
      headers: { 'content-type': 'application/zip' },
      body,
    });

  it('that holds millions of values, or is nothing but depth, is refused while others are answered', async () => {
    const list = (one: string, count: number) => strToU8(`[${`${one},`.repeat(count)}${one}]`);
    const bombs: [string, Uint8Array][] = [
      ['history.json', list('{}', 5_000_000)],
      ['surveys.json', list('[]', 5_000_000)],
      ['goals.json', strToU8('['.repeat(3_000_000))],
      ['sheets.json', new Uint8Array(60 * 1024 * 1024)],
      ['drawings.json', strToU8(`"${'x'.repeat(30_000_000)}"`)],
      ['job.json', strToU8(`{${Array.from({ length: 200_000 }, (_, i) => `"k${i}":{}`).join(',')}}`)],
    ];
    for (const [name, bytes] of shareOf(bombs, 2)) {
      const { status, text } = await importing(zipped({ ...file, [name]: bytes }));
      expect([name, status]).toEqual([name, 422]);
      expect(text).toContain('"detail":"');
    }
  });

  it('that was altered anywhere in its bytes is refused, or is the same job', async () => {
    const random = chance(WHOLE ? 13 : DAY);
    const whole = zipped(file);
    const alterations: ((bytes: Uint8Array) => Uint8Array)[] = [
      (bytes) =>
        bytes.map((byte, i) => (i === Math.floor(random() * bytes.length) ? byte ^ (1 << (i % 8)) : byte)),
      (bytes) => bytes.slice(0, Math.floor(random() * bytes.length)),
      (bytes) => bytes.slice(Math.floor(random() * 100)),
      (bytes) => {
        const at = Math.floor(random() * bytes.length);
        return new Uint8Array([...bytes.slice(0, at), ...bytes.slice(at - 20)]);
      },
      // The headers and the directory, where sizes, names and methods stand.
      (bytes) => {
        const at = random() < 0.5 ? Math.floor(random() * 60) : bytes.length - 1 - Math.floor(random() * 400);
        return bytes.map((byte, i) => (i === at ? Math.floor(random() * 256) : byte));
      },
    ];
    const odd: string[] = [];
    for (let i = 0; i < share(150, 3); i++) {
      const { status, text } = await importing(alterations[i % alterations.length]!(whole));
      if (status !== 422 && status !== 201) odd.push(`${i}: ${status} ${text.slice(0, 200)}`);
    }
    expect(odd).toEqual([]);
  });

  it('is taken as it was exported, and refused with one character changed', async () => {
    expect((await importing(zipped(file))).status).toBe(201);
    const forged = new TextDecoder().decode(file['sheets.json']).replace('Get-Disk', 'Get-Disc');
    const answer = await importing(zipped({ ...file, 'sheets.json': strToU8(forged) }));
    expect(answer.status).toBe(422);
    expect(answer.text).toContain('is not what its own figures come to');
  });
});
