import { once } from 'node:events';
import { request } from 'node:https';
import { connect, type Socket } from 'node:net';
import { mkdtempSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { tryPort } from '../scripts/ports.mjs';
import { startDatabase } from '../scripts/privateDatabase.mjs';
import { serve } from '../scripts/server.mjs';

// A server as a workshop has it: beyond loopback, with HTTPS and sign-in.
const CONNECTIONS = 300;
const folder = mkdtempSync(join(tmpdir(), 'secure-'));
let database: Awaited<ReturnType<typeof startDatabase>>;
let server: Awaited<ReturnType<typeof serve>>;
let port = 0;

beforeAll(async () => {
  database = await startDatabase(join(folder, 'database'), ['secure']);
  port = (await tryPort(0, '0.0.0.0')) ?? 0;
  server = await serve({
    port,
    host: '0.0.0.0',
    databaseUrl: database.url('secure'),
    migrationUrl: database.keeperUrl('secure'),
    demo: false,
    env: { GENTLE_TIDE_DATA: join(folder, 'data'), GENTLE_TIDE_MOST_CONNECTIONS: String(CONNECTIONS) },
    said: () => undefined,
  });
});
afterAll(async () => {
  await server.stop();
  await database.stop();
});

/** What plain HTTP is answered, just as it was asked. */
async function askPlainly(path: string): Promise<string> {
  const socket = connect({ port, host: '127.0.0.1' });
  socket.write(`GET ${path} HTTP/1.1\r\nhost: 127.0.0.1:${port}\r\nconnection: close\r\n\r\n`);
  let answer = '';
  socket.on('data', (bytes: Buffer) => (answer += bytes.toString()));
  await once(socket, 'close');
  return answer;
}

const askSecurely = (path: string): Promise<number> =>
  new Promise((done) => {
    const asked = request(
      { port, host: '127.0.0.1', path, rejectUnauthorized: false, agent: false },
      (response) => {
        response.resume();
        done(response.statusCode ?? 0);
      },
    );
    asked.on('error', () => done(0));
    asked.end();
  });

describe('plain HTTP', () => {
  it('gives what it takes to trust the server, and nothing of the workshop, however it is asked', async () => {
    expect(await askPlainly('/trust')).toMatch(/^HTTP\/1.1 200/);
    const api = 'api/v1/openapi.json';
    for (const path of [
      `/_app/../${api}`,
      `/_app/./../${api}`,
      `/_app/%2e%2e/${api}`,
      `/_app/.%2E/${api}`,
      `/_app/..%2f${api}`,
      `/_app/..\\${api}`,
      `/_app//../${api}`,
      `/_app/x/../../${api}`,
      `/trust/../${api}`,
      `/trust/root.crt/../../${api}`,
      `/favicon.svg/../${api}`,
      `//${api}`,
      `/${api}`,
      '/_app/..',
      '/_app/../sign-in',
      '/',
    ])
      expect((await askPlainly(path)).slice(0, 12), path).toMatch(/^HTTP\/1.1 (308|4\d\d)$/);
  });
});

describe('connections that say one byte', () => {
  it.each([
    ['of a handshake', '\x16'],
    ['of plain HTTP', 'G'],
  ])(
    '%s keep nobody out',
    async (_, byte) => {
      const sockets: Socket[] = [];
      try {
        for (let i = 0; i < 3 * CONNECTIONS; i++) {
          const socket = connect({ port, host: '127.0.0.1' });
          socket.on('error', () => undefined);
          sockets.push(socket);
          await once(socket, 'connect');
          socket.write(byte);
        }
        for (let i = 0; i < 10; i++) expect(await askSecurely('/healthz')).toBe(200);
        // Those that say no more are ended, though nobody needs their place.
        const open = () =>
          sockets.filter((socket) => !socket.destroyed && socket.readyState === 'open').length;
        for (const socket of sockets) socket.resume();
        await expect.poll(open, { timeout: 40_000, interval: 500 }).toBe(0);
      } finally {
        for (const socket of sockets) socket.destroy();
      }
    },
    60_000,
  );
});
