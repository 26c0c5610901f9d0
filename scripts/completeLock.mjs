// Completes package-lock.json after a change of packages (`npm run lock`).
//
// A registry that hands out only some platforms' binaries makes npm leave the other platforms' optional packages out of
// the lock, and `npm ci` then refuses it. What the registry tells of them is enough for an entry that is whole: with
// its platform, so that it is never fetched here, and its integrity, so that elsewhere nothing else is taken for it.
import { execFileSync } from 'node:child_process';
import { readFileSync, writeFileSync } from 'node:fs';

const FILE = 'package-lock.json';
const lock = JSON.parse(readFileSync(FILE, 'utf8'));
for (const entry of Object.values(lock.packages)) {
  for (const [name, version] of Object.entries(entry.optionalDependencies ?? {})) {
    const path = `node_modules/${name}`;
    if (lock.packages[path]?.integrity || !/^\d/.test(version)) continue;
    const { dist, license, cpu, os, libc, engines } = told(`${name}@${version}`);
    const { integrity } = dist;
    // One for every system (WebAssembly) is only the last resort of the others.
    const where = cpu || os ? { cpu, os, libc } : { os: ['none'] };
    lock.packages[path] = { version, integrity, dev: true, license, optional: true, ...where, engines };
  }
}
const bare = Object.entries(lock.packages).filter(([path, { integrity }]) => path !== '' && !integrity);
if (bare.length > 0) {
  console.error(`Without integrity in ${FILE}: ${bare.map(([path]) => path).join(', ')}`);
  process.exitCode = 1;
}
writeFileSync(FILE, `${JSON.stringify(lock, null, 2)}\n`);

/** What the registry tells of a package. @param {string} spec */
function told(spec) {
  const answer = execFileSync('npm', ['view', '--json', spec], {
    encoding: 'utf8',
    stdio: ['ignore', 'pipe', 'ignore'],
  });
  const value = JSON.parse(answer);
  return Array.isArray(value) ? value.at(-1) : value;
}
