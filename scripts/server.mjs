import { spawn } from 'node:child_process';
import { resolve } from 'node:path';
import { MAIN, REHEARSE, THREAD } from './build.mjs';
import { end, wait } from './processes.mjs';

const PATIENCE = 60_000;

/**
 * Serves the built application and waits until it answers.
 * @param {{ port: number, host: string, databaseUrl: string, migrationUrl?: string, demo: boolean }} options
 */
export async function serve({ port, host, databaseUrl, migrationUrl, demo }) {
  const shown = host === '0.0.0.0' || host === '::' ? '127.0.0.1' : host;
  const address = `http://${shown.includes(':') ? `[${shown}]` : shown}:${port}`;
  const child = spawn(process.execPath, [MAIN], {
    detached: true,
    stdio: ['ignore', 'inherit', 'pipe'],
    env: {
      ...process.env,
      PORT: String(port),
      HOST: host,
      ORIGIN: process.env['ORIGIN'] || address,
      DATABASE_URL: databaseUrl,
      ...(migrationUrl && { MIGRATION_URL: migrationUrl }),
      GENTLE_TIDE_THREAD: resolve(THREAD),
      GENTLE_TIDE_REHEARSE: resolve(REHEARSE),
      GENTLE_TIDE_DEMO: demo ? '1' : '0',
      // Bodies are bounded by the application itself, which answers with a problem document.
      BODY_SIZE_LIMIT: 'Infinity',
    },
  });
  let errors = '';
  child.stderr.on('data', (/** @type {Buffer} */ chunk) => {
    errors = (errors + chunk.toString()).slice(-4000);
    process.stderr.write(chunk);
  });
  let gone = false;
  const exited = new Promise((done) => child.once('exit', () => done((gone = true))));
  for (const until = Date.now() + PATIENCE; !(await answers(address)); await wait(60)) {
    if (gone) throw new Error(`the server did not start: ${/Error: .*/.exec(errors)?.[0] ?? 'see above'}`);
    if (Date.now() > until) throw new Error('the server did not answer within a minute');
  }
  const pid = child.pid ?? 0;
  return { address, pid, exited, stop: () => end(pid, MAIN) };
}

/** @param {string} address */
const answers = (address) =>
  fetch(`${address}/schemas/survey.json`).then(
    (response) => response.ok,
    () => false,
  );
