import { existsSync, mkdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { relative } from 'node:path';

/** Where the reports of the runners and the times by file are written. */
export const REPORTS = '.local/reports';
/** Seconds from which on a file is named. */
const LONG = 30;

let passed = 0;
let failed = 0;
/** What failed and its first message, repeated at the end: readers of the last lines alone see it. @type {string[]} */
const failures = [];
/** @type {{ file: string, seconds: number }[]} */
const times = [];

export function clearReports() {
  rmSync(REPORTS, { recursive: true, force: true });
  mkdirSync(REPORTS, { recursive: true });
}

/** A check without test cases counts as one. @param {string} name @param {boolean} good */
export function countTool(name, good) {
  if (good) passed++;
  else fail(name);
}

/** @param {string} what */
export function fail(what) {
  failed++;
  failures.push(what);
}

/** The cases of a report of Vitest. @param {string} name @param {string} file @param {boolean} good */
export function countVitest(name, file, good) {
  const { numPassedTests = 0, numFailedTests = 0, testResults = [] } = readReport(file);
  for (const { name: path, startTime, endTime } of testResults)
    times.push({ file: relative('.', path), seconds: (endTime - startTime) / 1000 });
  count(name, good, numPassedTests, numFailedTests, testResults.flatMap(failedOf));
}

/** The cases of a report of Playwright. @param {string} name @param {string} file @param {boolean} good */
export function countPlaywright(name, file, good) {
  const { stats = { expected: 0, flaky: 0, unexpected: 0 }, suites = [] } = readReport(file);
  for (const suite of suites) times.push({ file: `e2e/${suite.file}`, seconds: secondsOf(suite) });
  count(name, good, stats.expected + stats.flaky, stats.unexpected, suites.flatMap(failedWithin));
}

/** @param {string} name @param {boolean} good @param {number} well @param {number} badly @param {string[]} names */
function count(name, good, well, badly, names) {
  passed += well;
  // A runner that breaks without a failed case is a failure all the same.
  failed += badly === 0 && !good ? 1 : badly;
  failures.push(...(names.length === 0 && !good ? [name] : names));
}

/** Prints what failed, what takes long, and the count as the last line. @returns whether all is well */
export function printResults() {
  writeFileSync(`${REPORTS}/times.json`, JSON.stringify(times, null, 2));
  for (const { file, seconds } of times
    .filter((one) => one.seconds > LONG)
    .sort((a, b) => b.seconds - a.seconds))
    console.log(`takes long: ${file} (${seconds.toFixed(0)} s)`);
  for (const one of failures) console.log(`failed: ${one.slice(0, 600)}`);
  console.log(`tests: ${passed} passed, ${failed} failed`);
  return failed === 0 && passed > 0;
}

/** @param {string} file @returns {any} */
const readReport = (file) => (existsSync(file) ? JSON.parse(readFileSync(file, 'utf8')) : {});

/**
 * The failed cases of one file, or the file itself where it broke before its cases.
 * @param {any} file @returns {string[]}
 */
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
  /** @type {{ duration: number }[]} */
  const results = specs.flatMap((/** @type {any} */ { tests }) =>
    tests.flatMap((/** @type {any} */ one) => one.results),
  );
  return (
    results.reduce((sum, { duration }) => sum + duration / 1000, 0) +
    suites.reduce((/** @type {number} */ sum, /** @type {any} */ one) => sum + secondsOf(one), 0)
  );
}
