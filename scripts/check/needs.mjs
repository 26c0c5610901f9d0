import { rmSync } from 'node:fs';
import { resolve } from 'node:path';
import { buildIfChanged } from '../build.mjs';
import { tryPort } from '../ports.mjs';
import { startDatabase } from '../privateDatabase.mjs';
import { serve } from '../server.mjs';

/** Workers of the integration tests, each with databases of its own. */
export const INTEGRATION_WORKERS = 2;
const INTEGRATION = Array.from({ length: INTEGRATION_WORKERS }, (_, i) => `integration_${i + 1}`);
const DATABASES = [
  ...INTEGRATION.flatMap((name) => [name, `${name}_cut`, `${name}_scratch`]),
  'hostile',
  'browser',
  'servers',
  'shop',
];

/** What tests need beside themselves: each is started at the first request, and once. */
export function provide() {
  /** @type {(() => Promise<unknown>)[]} */
  const stops = [];

  const build = once(buildIfChanged);
  const database = once(async () => {
    // Every run begins with a database that nobody has used; whoever cuts its power loses nothing that anybody misses.
    rmSync('.local/test-database', { recursive: true, force: true });
    const options = ['--innodb-flush-log-at-trx-commit=0'];
    const started = await startDatabase('.local/test-database', DATABASES, options);
    stops.push(started.stop);
    return started;
  });

  /** The built application on a database and in a folder of images of its own. @param {string} name */
  const serveOn = async (name) => {
    const [{ url, keeperUrl }] = await Promise.all([database(), build()]);
    const images = resolve(`.local/test-images/${name}`);
    rmSync(images, { recursive: true, force: true });
    const server = await serve({
      port: (await tryPort(0, '127.0.0.1')) ?? 0,
      host: '127.0.0.1',
      databaseUrl: url(name),
      migrationUrl: keeperUrl(name),
      demo: true,
      env: { GENTLE_TIDE_IMAGES: images, GENTLE_TIDE_CHECK_ANSWERS: 'on' },
    });
    stops.unshift(server.stop);
    return { address: server.address, images, database: url(name) };
  };
  const hostile = once(() => serveOn('hostile'));
  const browser = once(() => serveOn('browser'));

  return {
    /** Databases of the integration tests, numbered by worker. */
    async integration() {
      const { url, keeperUrl, scratchUrl } = await database();
      return Object.fromEntries(
        INTEGRATION.flatMap((name, i) => [
          [`DATABASE_URL_${i + 1}`, url(name)],
          [`MIGRATION_URL_${i + 1}`, keeperUrl(name)],
          [`SCRATCH_URL_${i + 1}`, scratchUrl(`${name}_scratch`)],
        ]),
      );
    },
    async hostile() {
      const served = await hostile();
      return { SERVER_URL: served.address, DATABASE_URL: served.database };
    },
    async browser() {
      const [served, { url, keeperUrl }] = [await browser(), await database()];
      return {
        BASE_URL: served.address,
        GENTLE_TIDE_IMAGES: served.images,
        GENTLE_TIDE_CHECK_ANSWERS: 'on',
        DATABASE_URL: served.database,
        SERVERS_DATABASE_URL: url('servers'),
        SERVERS_MIGRATION_URL: keeperUrl('servers'),
        SHOP_DATABASE_URL: url('shop'),
        SHOP_MIGRATION_URL: keeperUrl('shop'),
      };
    },
    build,
    async stop() {
      for (const stop of stops) await stop();
    },
  };
}

/** @template T @param {() => Promise<T>} start @returns {() => Promise<T>} */
function once(start) {
  /** @type {Promise<T> | undefined} */
  let started;
  return () => (started ??= start());
}
