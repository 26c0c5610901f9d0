import { existsSync } from 'node:fs';
import { parseArgs } from 'node:util';
import { provide } from './check/needs.mjs';
import { clearReports, countTool, fail, printResults } from './check/results.mjs';
import { run } from './check/run.mjs';
import { makeScratch } from './check/scratch.mjs';
import { runBrowser, runFiles, runFlaky, runVitest } from './check/suites.mjs';

const USAGE = `usage: ./check                        every check and test
       ./check quick                  types, linters, and the tests that need neither database nor browser
       ./check FILE … [-t NAME]       the tests of some files, or those of a name, with what they need
       ./check flaky [FILE …]         browser tests, ten times each, on a busy machine`;
const CACHE = '.local/cache';
/** The compiler that svelte-check takes as well; `.bin/tsc` may be that one or the one that linters need. */
const COMPILER = 'node_modules/@typescript/native-preview/bin/tsc';

/** Checks without test cases: their names and commands. */
const TOOLS = {
  lint: ['eslint', '--max-warnings', '0', '.'],
  types: [
    'svelte-check',
    '--tsgo',
    '--tsconfig',
    './tsconfig.json',
    '--fail-on-warnings',
    '--output',
    'human',
  ],
  formatter: ['prettier', '--check', '--log-level', 'warn', '.'],
  boundaries: ['depcruise', '--config', '.dependency-cruiser.cjs', '--output-type', 'err', 'src'],
  licences: ['node', 'scripts/licences.mjs', 'check'],
  names: ['node', 'scripts/uniqueNames.mjs'],
};
/** The same where what did not change since the last time is not looked at again. */
const CACHED = {
  ...TOOLS,
  lint: [...TOOLS.lint, '--cache', '--cache-location', `${CACHE}/lint`],
  types: ['node', COMPILER, '--noEmit', '--incremental', '--tsBuildInfoFile', `${CACHE}/types`],
  formatter: [...TOOLS.formatter, '--cache', '--cache-location', `${CACHE}/format`],
};

/** Runs some of them one after the other. @param {typeof TOOLS} tools @param {(keyof typeof TOOLS)[]} names */
async function runTools(tools, ...names) {
  for (const name of names) countTool(name, await run(name, tools[name], { mayWait: true }));
}

async function checkQuickly() {
  await Promise.all([
    runTools(CACHED, 'lint', 'names', 'types', 'formatter', 'boundaries'),
    runVitest('unit', ['--project=unit']),
  ]);
}

/**
 * Two processors have enough to do from beginning to end, and never so much that a browser waits: it and its servers
 * come first, and whatever they leave goes to the checks of the source and then to the tests of Vitest; the hostile
 * ones, with a server of their own, come last.
 */
async function checkAll() {
  const projects = ['unit', 'bytes', 'integration'].map((project) => `--project=${project}`);
  await needs.build();
  countTool('build', true);
  await settle(
    async () => {
      await runBrowser(needs);
      await runVitest('hostile', ['--project=hostile'], { env: await needs.hostile() });
    },
    async () => {
      await runTools(TOOLS, 'lint', 'types', 'formatter', 'boundaries', 'licences', 'names');
      await runVitest('tests', projects, { env: await needs.integration(), mayWait: true });
    },
  );
}

/** Runs some parts at once, all to their end; one that breaks is a failure. @param {(() => Promise<void>)[]} parts */
async function settle(...parts) {
  for (const outcome of await Promise.allSettled(parts.map((part) => part())))
    if (outcome.status === 'rejected') fail(String(outcome.reason));
}

// A test that chooses its cases by the day chooses the same ones in every process of this check.
process.env['EVIDENCE_SEED'] ||= String(Math.floor(Date.now() / 86_400_000));
const { values, positionals } = readArguments();
const [mode, ...files] = positionals;

clearReports();
console.log(
  process.env['EVIDENCE'] === 'whole'
    ? 'evidence: all of it'
    : `evidence: the share of day ${process.env['EVIDENCE_SEED']} (EVIDENCE_SEED repeats it, npm run evidence gathers all)`,
);
const scratch = makeScratch();
Object.assign(process.env, scratch.env);
const needs = provide(scratch.folder);
try {
  await run('routes', ['svelte-kit', 'sync']);
  if (mode === undefined) await checkAll();
  else if (mode === 'quick') await checkQuickly();
  else if (mode === 'flaky') await runFlaky(() => provide(scratch.folder), files);
  else await runFiles(needs, positionals, values.name);
} catch (error) {
  fail(String(error));
} finally {
  await needs.stop();
  scratch.remove();
}
process.exitCode = printResults() ? 0 : 1;

/** The mode or the files of the command line; ends with the usage where they can't be read. */
function readArguments() {
  try {
    const given = parseArgs({ allowPositionals: true, options: { name: { type: 'string', short: 't' } } });
    const missing = given.positionals.find(
      (one, i) => !(i === 0 && /^(quick|flaky)$/.test(one)) && !existsSync(one),
    );
    if (missing) throw new Error(`there is no file ${missing}`);
    return given;
  } catch (error) {
    console.error(`${/** @type {Error} */ (error).message}\n${USAGE}`);
    process.exit(2);
  }
}
