import { readdirSync, readFileSync } from 'node:fs';
import { join } from 'node:path';

/**
 * Exported types and classes have names of their own: one word, one meaning. Prints those that stand in several files,
 * and fails.
 */
/** @type {Map<string, string[]>} */
const files = new Map();
for (const file of readdirSync('src', { recursive: true, encoding: 'utf8' })) {
  if (!file.endsWith('.ts') || file.endsWith('.test.ts')) continue;
  const text = readFileSync(join('src', file), 'utf8');
  for (const [, name] of text.matchAll(/^export (?:abstract )?(?:interface|type|class) (\w+)/gm))
    files.set(name ?? '', [...(files.get(name ?? '') ?? []), file]);
}
const shared = [...files].filter(([, places]) => places.length > 1);
for (const [name, places] of shared) console.error(`${name} is exported by ${places.join(' and ')}`);
process.exitCode = shared.length === 0 && files.size > 100 ? 0 : 1;
