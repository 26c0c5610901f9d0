import { createHash } from 'node:crypto';
import { existsSync, readdirSync, readFileSync } from 'node:fs';
import { join } from 'node:path';

/**
 * A hash of all that files and folders hold, tests aside: whatever was made of them is made of the same as long as it
 * is.
 * @param {string[]} sources files and folders from the repository's root; one that is not there counts as nothing
 */
export function fingerprint(sources) {
  const hash = createHash('sha256');
  for (const source of sources) if (existsSync(source)) add(hash, source);
  return hash.digest('hex');
}

/** @param {import('node:crypto').Hash} hash @param {string} path */
function add(hash, path) {
  try {
    for (const name of readdirSync(path).sort()) add(hash, join(path, name));
  } catch {
    if (!/\.test\.ts$/.test(path)) hash.update(path).update('\0').update(readFileSync(path)).update('\0');
  }
}
