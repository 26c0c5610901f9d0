import { execFileSync } from 'node:child_process';
import { existsSync, mkdirSync, readdirSync, renameSync, rmSync } from 'node:fs';
import { basename, dirname, join, resolve } from 'node:path';
import { fingerprint } from './fingerprint.mjs';

/** Packages that stay outside: they read files of their own, or hold what there may be only one of in a process. */
const OUTSIDE = [
  'pdfmake',
  'pino',
  'prom-client',
  'reflect-metadata',
  '@peculiar/x509',
  '@peculiar/asn1-x509',
  '@peculiar/asn1-schema',
];

/** The compiler's settings name a file that SvelteKit makes, which is not there in a fresh clone. */
export function needRouteTypes() {
  if (!existsSync('.svelte-kit/tsconfig.json'))
    execFileSync('npx', ['--no-install', 'svelte-kit', 'sync'], { stdio: 'ignore' });
}

/**
 * Bundles a TypeScript module of the core with all that it needs into one file for Node.js.
 * @param {string} path from the repository's root
 * @param {string} out the file to write
 * @param {import('vite').Plugin[]} plugins
 */
export async function bundle(path, out, plugins = []) {
  const { build } = await import('vite');
  needRouteTypes();
  await build({
    configFile: false,
    logLevel: 'error',
    publicDir: false,
    plugins,
    resolve: { alias: { $contract: resolve('src/lib/contract'), $core: resolve('src/lib/core') } },
    ssr: { noExternal: true, external: OUTSIDE },
    build: {
      ssr: resolve(path),
      outDir: resolve(dirname(out)),
      emptyOutDir: false,
      rollupOptions: { output: { entryFileNames: basename(out), codeSplitting: false } },
    },
  });
}

/** Named after what it was made of; others are still being made. */
const FINISHED = /^[0-9a-f]{64}\.mjs$/;

/**
 * A TypeScript module of the server as one file for Node.js, bundled only where the sources are others than last time.
 * @param {string} path from the repository's root
 * @param {string} name of the folder in .local that keeps it
 * @returns {Promise<string>} the file to import
 */
export async function bundled(path, name) {
  const folder = join('.local', name);
  const file = `${fingerprint(['src/lib', 'package-lock.json', 'scripts/bundle.mjs'])}.mjs`;
  const out = resolve(folder, file);
  if (existsSync(out)) return out;
  mkdirSync(folder, { recursive: true });
  for (const old of readdirSync(folder)) if (FINISHED.test(old)) rmSync(join(folder, old));
  // Whoever begins at the same time never reads half of it.
  const made = join(folder, `${process.pid}.mjs`);
  await bundle(path, made);
  renameSync(made, out);
  return out;
}
