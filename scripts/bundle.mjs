import { basename, dirname, resolve } from 'node:path';
import { build } from 'vite';

/**
 * Bundles a TypeScript module of the core with all that it needs into one file for Node.js.
 * @param {string} path from the repository's root
 * @param {string} out the file to write
 * @param {import('vite').Plugin[]} plugins
 */
export async function bundle(path, out, plugins = []) {
  await build({
    configFile: false,
    logLevel: 'error',
    publicDir: false,
    plugins,
    resolve: { alias: { $core: resolve('src/lib/core') } },
    // Reads files of its own, which a bundle would lose.
    ssr: { noExternal: true, external: ['pdfmake'] },
    build: {
      ssr: resolve(path),
      outDir: resolve(dirname(out)),
      emptyOutDir: false,
      rollupOptions: { output: { entryFileNames: basename(out), codeSplitting: false } },
    },
  });
}
