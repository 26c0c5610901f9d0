import { rmSync } from 'node:fs';
import { join } from 'node:path';
import { buildIfChanged } from '../build.mjs';
import { tryPort } from '../ports.mjs';
import { startDatabase } from '../privateDatabase.mjs';
import { serve } from '../server.mjs';

/** Workers of the integration tests; each has a MariaDB of its own, since an account for backups sees all of one. */
const INTEGRATION_WORKERS = [1, 2];

/**
 * What tests need beside themselves: each is started at the first request, and once.
 * @param {string} data folder of databases and images
 */
export function provide(data) {
  /** @type {(() => Promise<unknown>)[]} */
  const stops = [];

  const build = once(buildIfChanged);
  /**
   * A MariaDB that nobody has used. Nothing of it outlives the run, so it need not be safe from a cut of its power.
   * @param {string} folder @param {string[]} names of its databases
   */
  const startFresh = async (folder, names) => {
    rmSync(folder, { recursive: true, force: true });
    const started = await startDatabase(folder, names, ['--innodb-flush-log-at-trx-commit=0']);
    stops.push(started.stop);
    return started;
  };
  const database = once(() => startFresh(join(data, 'database'), ['hostile', 'browser', 'servers', 'shop']));

  /** The built application on a database and in a folder of images of its own. @param {string} name */
  const serveOn = async (name) => {
    const [{ url, keeperUrl }] = await Promise.all([database(), build()]);
    const images = join(data, `images-${name}`);
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
    /** The databases of each worker, numbered by it. */
    async integration() {
      const each = INTEGRATION_WORKERS.map(async (worker) => {
        const folder = join(data, `database-${worker}`);
        const { url, keeperUrl, scratchUrl } = await startFresh(folder, ['unit', 'unit_cut', 'unit_scratch']);
        return {
          [`DATABASE_URL_${worker}`]: url('unit'),
          [`MIGRATION_URL_${worker}`]: keeperUrl('unit'),
          [`SCRATCH_URL_${worker}`]: scratchUrl('unit_scratch'),
        };
      });
      return Object.assign({}, ...(await Promise.all(each)));
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
