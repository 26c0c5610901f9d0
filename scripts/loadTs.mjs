import { resolve } from 'node:path';
import { runnerImport } from 'vite';
import { needRouteTypes } from './bundle.mjs';

/**
 * Imports a TypeScript module of the project, with its aliases, from a plain script.
 * @template T
 * @param {string} path from the repository's root
 * @returns {Promise<T>}
 */
export async function loadTs(path) {
  needRouteTypes();
  const { module } = await runnerImport(resolve(path), {
    configFile: false,
    logLevel: 'error',
    resolve: {
      alias: {
        $contract: resolve('src/lib/contract'),
        $core: resolve('src/lib/core'),
        $ui: resolve('src/lib/ui'),
        $lib: resolve('src/lib'),
      },
    },
  });
  return /** @type {T} */ (module);
}
