import { execFileSync } from 'node:child_process';
import { existsSync, mkdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { dirname } from 'node:path';
import { bundle } from './bundle.mjs';
import { fingerprint } from './fingerprint.mjs';

const MARK = '.local/built';
/** What is started: the server around the one that SvelteKit builds. */
export const MAIN = 'build/main.mjs';
/** The threads beside it, for what takes long. */
export const THREAD = 'build/thread.mjs';
/** What backups are made and restored with. */
export const BACKUP = 'build/backup.mjs';
/** The threads that rehearsals run in. */
export const REHEARSE = 'build/rehearse.mjs';
const SOURCES = [
  'src',
  'static',
  'package-lock.json',
  'svelte.config.js',
  'vite.config.ts',
  'tsconfig.json',
  'scripts/build.mjs',
  'scripts/bundle.mjs',
];

/** Builds the application unless the last finished build was made of the very same sources. */
export async function buildIfChanged() {
  const wanted = fingerprint(SOURCES);
  const built = existsSync(MARK) ? readFileSync(MARK, 'utf8') : '';
  if (built === wanted && [MAIN, THREAD, REHEARSE, BACKUP].every((path) => existsSync(path))) return;
  process.stderr.write('Building …\n');
  rmSync(MARK, { force: true });
  try {
    execFileSync('npx', ['--no-install', 'vite', 'build', '--logLevel', 'warn'], {
      stdio: ['ignore', 'pipe', 'pipe'],
      encoding: 'utf8',
      // Whoever loaded TypeScript in this process set it to development, which would be built in.
      env: { ...process.env, NODE_ENV: 'production' },
    });
  } catch (error) {
    const { stdout, stderr } = /** @type {{ stdout?: string, stderr?: string }} */ (error);
    throw new Error(`the build failed:\n${stdout ?? ''}${stderr ?? ''}`);
  }
  await bundle('src/lib/server/web/http/main.ts', MAIN);
  await bundle('src/lib/server/worker.ts', THREAD);
  await bundle('src/lib/server/work/rehearsals/thread.ts', REHEARSE);
  await bundle('src/lib/server/store/backup/index.ts', BACKUP);
  mkdirSync(dirname(MARK), { recursive: true });
  writeFileSync(MARK, wanted);
}
