import { existsSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { buildIfChanged, MAIN } from './build.mjs';
import { freePort } from './ports.mjs';
import { startDatabase } from './privateDatabase.mjs';
import { end, runs, wait } from './processes.mjs';
import { serve } from './server.mjs';

/**
 * Milliseconds before the server is started again, at first and at the most, and how long it must stay up to begin anew
 * with them.
 */
const [FIRST_PAUSE, LONGEST_PAUSE, STAYED] = [1_000, 60_000, 60_000];
const STATE = '.local/running.json';
process.env['GENTLE_TIDE_DATA'] ||= '.local';
const host = process.env['HOST'] || '127.0.0.1';
const wanted = Number(process.env['PORT'] || 8420);

/** @type {(() => Promise<void>)[]} what was started, newest last */
const started = [];
let stopping = false;

/** @param {number} code */
async function stop(code) {
  if (stopping) return;
  stopping = true;
  for (const one of started.reverse()) await one().catch((error) => console.error(error));
  rmSync(STATE, { force: true });
  process.exit(code);
}

for (const signal of /** @type {const} */ (['SIGINT', 'SIGTERM', 'SIGHUP'])) {
  process.on(signal, () => {
    process.stderr.write('\nStopping …\n');
    void stop(0);
  });
}

try {
  if (!Number.isInteger(wanted) || wanted < 1 || wanted > 65535)
    throw new Error(`PORT is “${process.env['PORT']}”, which is no port number`);
  await clearLeftovers();
  const database = process.env['DATABASE_URL']
    ? null
    : await startDatabase('.local/database', ['gentle_tide', 'gentle_tide_scratch']);
  if (database) started.push(database.stop);
  writeFileSync(STATE, JSON.stringify({ starter: process.pid }));
  await buildIfChanged();
  const port = await freePort(wanted, host);
  const databaseUrl = process.env['DATABASE_URL'] ?? database?.url('gentle_tide') ?? '';
  const migrationUrl = process.env['MIGRATION_URL'] ?? database?.keeperUrl('gentle_tide') ?? '';
  // Made-up jobs are for trying it out on one's own computer; a workshop's server has them where somebody asks for
  // them.
  const demo =
    (process.env['GENTLE_TIDE_DEMO'] ||
      (host === '127.0.0.1' || host === 'localhost' || host === '::1' ? '1' : '0')) === '1';
  const begin = () => serve({ port, host, databaseUrl, migrationUrl, demo });
  let server = await begin();
  started.push(() => server.stop());
  const note = () =>
    writeFileSync(
      STATE,
      JSON.stringify({ starter: process.pid, server: server.pid, address: server.address }),
    );
  note();
  if (port !== wanted) console.log(`Port ${wanted} is taken, so another was chosen.`);
  console.log(`Gentle Tide is at ${server.address}   (Ctrl-C stops it)`);
  // A server that ends by itself is started again, after pauses that grow as long as it does not stay up.
  for (let pause = FIRST_PAUSE; ;) {
    const since = Date.now();
    await server.exited;
    if (stopping) break;
    if (Date.now() - since > STAYED) pause = FIRST_PAUSE;
    console.error(`The server ended by itself (see above). It is started again in ${pause / 1000} s.`);
    await wait(pause);
    pause = Math.min(2 * pause, LONGEST_PAUSE);
    if (stopping) break;
    try {
      server = await begin();
      note();
      console.error(`The server is at ${server.address} again.`);
    } catch (error) {
      console.error(`It did not start: ${error instanceof Error ? error.message : error}`);
    }
  }
} catch (error) {
  if (!stopping)
    console.error(`Gentle Tide did not start: ${error instanceof Error ? error.message : error}`);
  await stop(1);
}

/** One instance a folder: a living one is named, the remains of a killed one are cleared away. */
async function clearLeftovers() {
  if (!existsSync(STATE)) return;
  let state;
  try {
    state = JSON.parse(readFileSync(STATE, 'utf8'));
  } catch {
    rmSync(STATE, { force: true }); // cut short while it was written
    return;
  }
  if (runs(state.starter, 'scripts/start.mjs') && state.starter !== process.pid) {
    console.error(
      `Gentle Tide is running already${state.address ? ` at ${state.address}` : ''} (process ${state.starter}). Stop it there with Ctrl-C.`,
    );
    process.exit(1);
  }
  if (state.server) await end(state.server, MAIN);
  rmSync(STATE, { force: true });
}
