import { spawn } from 'node:child_process';
import { existsSync, mkdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { relative, resolve } from 'node:path';
import { tryPort } from './ports.mjs';
import { startDatabase } from './privateDatabase.mjs';
import { serve } from './server.mjs';

const REPORTS = '.local/reports';
let passed = 0;
let failed = 0;
/** What failed and what it said first, repeated at the end: whoever sees only the last lines of a long output still knows. @type {string[]} */
const failures = [];

/** Runs one tool, its output as it comes; what a server beside it says is read meanwhile. @param {string} what @param {string[]} command @param {NodeJS.ProcessEnv} [env] */
async function run(what, command, env = {}) {
  console.log(`\n== ${what}`);
  const began = Date.now();
  const { status } = await told(command, env, (part) => process.stdout.write(part));
  console.log(
    `== ${what}: ${status === 0 ? 'good' : 'FAILED'} (${((Date.now() - began) / 1000).toFixed(1)} s)`,
  );
  return status === 0;
}

/**
 * Checks without test cases, each of which counts as one; two at a time, so that both cores are used. What each says is printed as it ends.
 *
 * @param {[what: string, command: string[]][]} checks
 */
async function checkAll(checks) {
  const waiting = [...checks];
  const next = async () => {
    for (let one = waiting.shift(); one; one = waiting.shift()) {
      const [what, command] = one;
      const began = Date.now();
      const { status, said } = await told(command);
      console.log(`\n== ${what}\n${said.trimEnd()}`);
      console.log(
        `== ${what}: ${status === 0 ? 'good' : 'FAILED'} (${((Date.now() - began) / 1000).toFixed(1)} s)`,
      );
      if (status === 0) passed++;
      else {
        failed++;
        failures.push(what);
      }
    }
  };
  await Promise.all([next(), next()]);
}

/**
 * Runs the tests of some projects, each case of which counts; two such runs may go on at once, and say what they say line by line.
 *
 * @param {string} what @param {string[]} projects @param {NodeJS.ProcessEnv} env
 */
async function vitest(what, projects, env) {
  const report = `${REPORTS}/${projects[0]}.json`;
  const began = Date.now();
  const chosen = projects.map((project) => `--project=${project}`);
  const reporters = ['--reporter=default', '--reporter=json', `--outputFile.json=${report}`];
  console.log(`\n== ${what}`);
  const { status } = await told(['vitest', 'run', ...chosen, ...reporters], env, (part) =>
    process.stdout.write(part),
  );
  const took = ((Date.now() - began) / 1000).toFixed(1);
  console.log(`== ${what}: ${status === 0 ? 'good' : 'FAILED'} (${took} s)`);
  tally(
    report,
    ({ numPassedTests, numFailedTests, testResults }) => {
      for (const { name, startTime, endTime } of testResults)
        times.push({ file: relative('.', name), seconds: (endTime - startTime) / 1000 });
      return [numPassedTests, numFailedTests, testResults.flatMap(failedOf)];
    },
    status === 0,
    what,
  );
}

/** The failed cases of one file, or the file itself where it broke before its cases. @param {any} file @returns {string[]} */
function failedOf({ name, status, message, assertionResults }) {
  const cases = assertionResults.filter((/** @type {any} */ one) => one.status === 'failed');
  if (cases.length === 0 && status === 'failed') return [`${name}: ${message}`];
  return cases.map((/** @type {any} */ one) => `${name}: ${one.fullName}: ${one.failureMessages[0]}`);
}

/** The failed tests of a suite of browser tests and of those within it. @param {any} suite @returns {string[]} */
function failedWithin({ file, suites = [], specs = [] }) {
  const here = specs
    .filter((/** @type {any} */ { ok }) => !ok)
    .map((/** @type {any} */ { title, tests }) => {
      const errors = tests[0]?.results.flatMap((/** @type {any} */ result) => result.errors) ?? [];
      return `${file}: ${title}: ${errors[0]?.message}`;
    });
  return [...here, ...suites.flatMap(failedWithin)];
}

/** Seconds that the tests of a suite and of those within it took. @param {any} suite @returns {number} */
function secondsOf({ suites = [], specs = [] }) {
  const own = specs.flatMap((/** @type {any} */ { tests }) =>
    tests.flatMap((/** @type {any} */ one) => one.results),
  );
  return (
    own.reduce((/** @type {number} */ sum, /** @type {any} */ { duration }) => sum + duration / 1000, 0) +
    suites.reduce((/** @type {number} */ sum, /** @type {any} */ one) => sum + secondsOf(one), 0)
  );
}

/**
 * @param {string[]} command @param {NodeJS.ProcessEnv} [env] @param {(part: Buffer) => unknown} [saying]
 * @returns {Promise<{ status: number | null, said: string }>}
 */
function told(command, env = {}, saying) {
  return new Promise((resolve, reject) => {
    const child = spawn('npx', ['--no-install', ...command], {
      stdio: ['ignore', 'pipe', 'pipe'],
      env: { ...process.env, ...env },
    });
    /** @type {Buffer[]} */
    const parts = [];
    for (const stream of [child.stdout, child.stderr])
      stream.on('data', saying ?? ((part) => parts.push(part)));
    child.on('error', reject);
    child.on('close', (status) => resolve({ status, said: Buffer.concat(parts).toString() }));
  });
}

/** @param {string} file @param {(report: any) => [passed: number, failed: number, names: string[]]} count @param {boolean} good @param {string} what */
function tally(file, count, good, what) {
  const report = existsSync(file)
    ? count(JSON.parse(readFileSync(file, 'utf8')))
    : /** @type {[number, number, string[]]} */ ([0, 0, []]);
  passed += report[0];
  // A runner that broke without naming a failed case is a failure all the same.
  failed += report[1] === 0 && !good ? 1 : report[1];
  failures.push(...(report[2].length === 0 && !good ? [what] : report[2]));
}

/** @type {[string, string[]]} */
const NAMES = ['names of types', ['node', 'scripts/uniqueNames.mjs']];

/** Types, linters and the tests that need neither database nor browser; what did not change since is not looked at again. */
async function checkQuickly() {
  const CACHE = '.local/cache';
  await checkAll([
    [
      'types',
      ['tsc', '--noEmit', '--incremental', '--tsBuildInfoFile', `${CACHE}/types`, '-p', 'tsconfig.json'],
    ],
    ['lint', ['eslint', '--max-warnings', '0', '--cache', '--cache-location', `${CACHE}/lint`, '.']],
    [
      'formatter',
      ['prettier', '--check', '--log-level', 'warn', '--cache', '--cache-location', `${CACHE}/format`, '.'],
    ],
    ['boundaries', ['depcruise', '--config', '.dependency-cruiser.cjs', '--output-type', 'err', 'src']],
    NAMES,
  ]);
  await vitest('unit tests', ['unit'], {});
}

/** Every check and every test. */
async function checkAllOfIt() {
  // The longest first.
  await checkAll([
    ['lint', ['eslint', '--max-warnings', '0', '.']],
    ['types', ['svelte-check', '--tsconfig', './tsconfig.json', '--fail-on-warnings', '--output', 'human']],
    ['formatter', ['prettier', '--check', '--log-level', 'warn', '.']],
    ['boundaries', ['depcruise', '--config', '.dependency-cruiser.cjs', '--output-type', 'err', 'src']],
    ['licences', ['node', 'scripts/licences.mjs', 'check']],
    NAMES,
    ['build', ['node', 'scripts/buildNow.mjs']],
  ]);

  // Every run begins with a database that nobody has used.
  rmSync('.local/test-database', { recursive: true, force: true });
  database = await startDatabase('.local/test-database', [
    'unit',
    'unit_cut',
    'unit_scratch',
    'hostile',
    'browser',
    'servers',
    'shop',
  ]);
  // Those that share a database go one after the other, and wait for it now and then: the others fill the gaps.
  const onUnit = {
    DATABASE_URL: database.url('unit'),
    MIGRATION_URL: database.keeperUrl('unit'),
    SCRATCH_URL: database.scratchUrl('unit_scratch'),
  };
  await Promise.all([
    vitest('unit tests, and bytes', ['unit', 'bytes'], onUnit),
    vitest('integration tests', ['integration'], onUnit),
  ]);

  /** The built application on a database of its own. @param {string} name */
  const serveOn = async (name) => {
    const port = (await tryPort(0, '127.0.0.1')) ?? 0;
    // Each has its own folder of images; browser tests put theirs there.
    process.env['GENTLE_TIDE_IMAGES'] = resolve(`.local/test-images/${name}`);
    rmSync(process.env['GENTLE_TIDE_IMAGES'], { recursive: true, force: true });
    const { url, keeperUrl } = /** @type {NonNullable<typeof database>} */ (database);
    process.env['GENTLE_TIDE_CHECK_ANSWERS'] = 'on';
    return serve({
      port,
      host: '127.0.0.1',
      databaseUrl: url(name),
      migrationUrl: keeperUrl(name),
      demo: true,
    });
  };
  server = await serveOn('hostile');
  await vitest('hostile input', ['hostile'], {
    SERVER_URL: server.address,
    DATABASE_URL: database.url('hostile'),
  });
  await server.stop();

  server = await serveOn('browser');
  const playwright = `${REPORTS}/playwright.json`;
  const driven = await run('browser tests', ['playwright', 'test', '--reporter=list,json'], {
    BASE_URL: server.address,
    DATABASE_URL: database.url('browser'),
    SERVERS_DATABASE_URL: database.url('servers'),
    SERVERS_MIGRATION_URL: database.keeperUrl('servers'),
    SHOP_DATABASE_URL: database.url('shop'),
    SHOP_MIGRATION_URL: database.keeperUrl('shop'),
    PLAYWRIGHT_JSON_OUTPUT_NAME: playwright,
  });
  tally(
    playwright,
    ({ stats, suites }) => {
      for (const suite of suites) times.push({ file: `e2e/${suite.file}`, seconds: secondsOf(suite) });
      return [stats.expected + stats.flaky, stats.unexpected, suites.flatMap(failedWithin)];
    },
    driven,
    'browser tests',
  );
}

const QUICK = process.argv[2] === 'quick';
if (process.argv.length > (QUICK ? 3 : 2)) {
  console.error('usage: ./check [quick]');
  process.exit(2);
}
// A test that chooses its cases by the day chooses the same ones in every process of this check.
process.env['EVIDENCE_SEED'] ||= String(Math.floor(Date.now() / 86_400_000));
console.log(
  process.env['EVIDENCE'] === 'whole'
    ? 'evidence: all of it'
    : `evidence: the share of day ${process.env['EVIDENCE_SEED']} (EVIDENCE_SEED repeats it, npm run evidence gathers all)`,
);

/** Time by file, written down whole; the files that take longest are named at the end. @type {{ file: string, seconds: number }[]} */
const times = [];
/** Seconds from which on a file is named. */
const LONG = 30;

rmSync(REPORTS, { recursive: true, force: true });
mkdirSync(REPORTS, { recursive: true });
/** @type {Awaited<ReturnType<typeof startDatabase>> | undefined} */
let database;
/** @type {Awaited<ReturnType<typeof serve>> | undefined} */
let server;
try {
  await run('types of routes', ['svelte-kit', 'sync']);
  if (QUICK) await checkQuickly();
  else await checkAllOfIt();
} catch (error) {
  failures.push(error instanceof Error ? error.message : String(error));
  failed++;
} finally {
  await server?.stop();
  await database?.stop();
}
writeFileSync(`${REPORTS}/times.json`, JSON.stringify(times, null, 2));
for (const { file, seconds } of times
  .filter((one) => one.seconds > LONG)
  .sort((a, b) => b.seconds - a.seconds))
  console.log(`takes long: ${file} (${seconds.toFixed(0)} s)`);
for (const one of failures) console.log(`failed: ${one.slice(0, 600)}`);
console.log(`tests: ${passed} passed, ${failed} failed`);
process.exitCode = failed === 0 && passed > 0 ? 0 : 1;
