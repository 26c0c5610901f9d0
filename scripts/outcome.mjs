import { execFileSync } from 'node:child_process';
import { readFileSync, writeFileSync } from 'node:fs';

/**
 * Puts what a long proof came to into a document, between its two marks, in place of what it came to last.
 * @param {string} file @param {string} name of the marks @param {string} outcome
 */
export function writeOutcome(file, name, outcome) {
  const between = new RegExp(`<!-- ${name} -->[\\s\\S]*?<!-- end ${name} -->`);
  const text = readFileSync(file, 'utf8');
  if (!between.test(text)) throw new Error(`${file} has no place for “${name}”`);
  writeFileSync(
    file,
    text.replace(between, () => `<!-- ${name} -->\n\n${outcome}\n\n<!-- end ${name} -->`),
  );
  execFileSync('npx', ['--no-install', 'prettier', '--write', '--log-level', 'warn', file]);
}

/**
 * A count that was asked for on the command line: a run of none would prove nothing.
 * @param {string | undefined} given @param {number} usual
 */
export function countAsked(given, usual) {
  const count = Number(given ?? usual);
  if (Number.isSafeInteger(count) && count > 0) return count;
  console.error(`“${given}” is no count.`);
  return process.exit(2);
}
