// Completes package-lock.json after a change of packages (`npm run lock`).
//
// A registry that carries only some platforms' binaries makes npm leave the other platforms' optional packages
// out of the lock, and `npm ci` then refuses it. They are never installed here; an entry that no system
// matches is enough to make the lock whole.
import { readFileSync, writeFileSync } from 'node:fs';

const FILE = 'package-lock.json';
const lock = JSON.parse(readFileSync(FILE, 'utf8'));
for (const entry of Object.values(lock.packages)) {
  for (const [name, version] of Object.entries(entry.optionalDependencies ?? {})) {
    const path = `node_modules/${name}`;
    if (lock.packages[path] || !/^\d/.test(version)) continue;
    lock.packages[path] = { version, optional: true, dev: true, os: ['none'] };
  }
}
writeFileSync(FILE, `${JSON.stringify(lock, null, 2)}\n`);
