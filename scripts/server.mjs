import { spawn } from 'node:child_process';
import { request as overHttp } from 'node:http';
import { request as overHttps } from 'node:https';
import { MAIN } from './build.mjs';
import { end, waitFor } from './processes.mjs';

/**
 * Serves the built application and waits until it answers.
 * @param {{ port: number, host: string, databaseUrl: string, migrationUrl?: string, demo: boolean, env?: NodeJS.ProcessEnv, said?: (text: string) => void }} options
 *   `said` hears what it prints, which is passed on otherwise
 */
export async function serve({ port, host, databaseUrl, migrationUrl, demo, env = {}, said }) {
  const shown = host === '0.0.0.0' || host === '::' ? '127.0.0.1' : host;
  const child = spawn(process.execPath, [MAIN], {
    detached: true,
    // The channel ends with whoever started the server, however that is, and the server with it.
    stdio: ['ignore', said ? 'pipe' : 'inherit', 'pipe', 'ipc'],
    env: {
      ...process.env,
      // A terminal is no log: it says what goes wrong, and no more.
      GENTLE_TIDE_LOG: process.env['GENTLE_TIDE_LOG'] || 'warn',
      PORT: String(port),
      HOST: host,
      DATABASE_URL: databaseUrl,
      ...(migrationUrl && { MIGRATION_URL: migrationUrl }),
      GENTLE_TIDE_DEMO: demo ? '1' : '0',
      ...env,
    },
  });
  child.stdout?.on('data', (/** @type {Buffer} */ chunk) => said?.(chunk.toString()));
  let errors = '';
  child.stderr.on('data', (/** @type {Buffer} */ chunk) => {
    errors = (errors + chunk.toString()).slice(-4000);
    process.stderr.write(chunk);
  });
  let gone = false;
  const exited = new Promise((done) => child.once('exit', () => done((gone = true))));
  child.channel?.unref();
  const pid = child.pid ?? 0;
  const look = async () => {
    if (gone) throw new Error(`the server did not start: ${/Error: .*/.exec(errors)?.[0] ?? 'see above'}`);
    return answers(shown, port);
  };
  const scheme = await waitFor('the server', look, 60).catch(async (error) => {
    await end(pid, MAIN);
    throw error;
  });
  const address = `${scheme}://${shown.includes(':') ? `[${shown}]` : shown}:${port}`;
  return { address, pid, exited, stop: () => end(pid, MAIN) };
}

/**
 * By which of the two it answers; null: by neither yet. Its certificate is one of its own authority, which nobody here
 * knows: only whether it answers is asked.
 * @param {string} host @param {number} port @returns {Promise<'http' | 'https' | null>}
 */
async function answers(host, port) {
  for (const [scheme, ask] of /** @type {const} */ ([
    ['https', overHttps],
    ['http', overHttp],
  ])) {
    const well = await new Promise((done) => {
      const asked = ask(
        { host, port, path: '/healthz', rejectUnauthorized: false, timeout: 5000 },
        (response) => {
          response.resume();
          done(response.statusCode === 200);
        },
      );
      asked.on('error', () => done(false));
      asked.on('timeout', () => asked.destroy());
      asked.end();
    });
    if (well) return scheme;
  }
  return null;
}
