import { basename, dirname, resolve } from 'node:path';
import { build } from 'vite';

/**
 * Bundles a TypeScript module of the core with all that it needs into one file for Node.js.
 * @param {string} path from the repository's root
 * @param {string} out the file to write
 */
export async function bundle(path, out) {
  await build({
    configFile: false,
    logLevel: 'error',
    publicDir: false,
    resolve: { alias: { $core: resolve('src/lib/core') } },
    ssr: { noExternal: true },
    build: {
      ssr: resolve(path),
      outDir: resolve(dirname(out)),
      emptyOutDir: false,
      rollupOptions: { output: { entryFileNames: basename(out) } },
    },
  });
}
