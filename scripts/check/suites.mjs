import { spawn } from 'node:child_process';
import { cpus } from 'node:os';
import { REPORTS, countPlaywright, countVitest } from './results.mjs';
import { run } from './run.mjs';

/** @typedef {ReturnType<typeof import('./needs.mjs').provide>} Needs */

/**
 * Runs tests of Vitest and counts their cases.
 * @param {string} name @param {string[]} args projects, files, names of tests @param {Parameters<typeof run>[2]} [options]
 */
export async function runVitest(name, args, options = {}) {
  const report = `${REPORTS}/${name.replace(/\W+/g, '-')}.json`;
  const reporters = ['--reporter=default', '--reporter=json', `--outputFile.json=${report}`];
  const good = await run(name, ['vitest', 'run', ...args, ...reporters], options);
  countVitest(name, report, good);
}

/** Runs browser tests and counts them. @param {Needs} needs @param {string[]} [args] files, names of tests */
export async function runBrowser(needs, args = []) {
  const report = `${REPORTS}/playwright.json`;
  const env = { ...(await needs.browser()), PLAYWRIGHT_JSON_OUTPUT_NAME: report };
  const good = await run('browser', ['playwright', 'test', '--reporter=list,json', ...args], { env });
  countPlaywright('browser', report, good);
}

const INTEGRATION = /^src\/lib\/server\//;

/**
 * Runs the tests of some files, each with what it needs.
 * @param {Needs} needs @param {string[]} files from the root of the repository @param {string} [title] of the tests, as
 *   a regular expression
 */
export async function runFiles(needs, files, title) {
  const under = (/** @type {RegExp} */ folder) => files.filter((file) => folder.test(file));
  const [browser, hostile] = [under(/^e2e\//), under(/^hostile\//)];
  const others = files.filter((file) => !browser.includes(file) && !hostile.includes(file));
  const named = title ? ['--testNamePattern', title] : [];
  if (others.length > 0) {
    const env = others.some((file) => INTEGRATION.test(file)) ? await needs.integration() : {};
    const projects = ['unit', 'bytes', 'integration'].map((project) => `--project=${project}`);
    await runVitest('tests', [...projects, ...named, ...others], { env });
  }
  if (hostile.length > 0)
    await runVitest('hostile', ['--project=hostile', ...named, ...hostile], { env: await needs.hostile() });
  if (browser.length > 0) await runBrowser(needs, [...(title ? ['--grep', title] : []), ...browser]);
}

/** Rounds of `flaky`. */
const ROUNDS = 10;

/**
 * Runs each browser test ten times, without a second try, while something else keeps every processor busy. Each round
 * has servers and databases that nobody has used: tests change what the demo brings, and an owner signs in first once.
 * @param {() => Needs} provide @param {string[]} files all where none is named
 */
export async function runFlaky(provide, files) {
  const busy = cpus().map(() => spawn(process.execPath, ['-e', 'for (;;);'], { stdio: 'ignore' }));
  try {
    for (let round = 1; round <= ROUNDS; round++) {
      console.log(`== round ${round} of ${ROUNDS}`);
      const needs = provide();
      await runBrowser(needs, ['--retries=0', ...files]).finally(needs.stop);
    }
  } finally {
    for (const child of busy) child.kill('SIGKILL');
  }
}
