// Cuts the power of made-up runs at every instant until so many states were found and mended, on every core, and writes
// the outcome into docs/executor.md: `npm run cuts`, or `npm run cuts -- 5000` for fewer; `npm run cuts -- system` or
// `-- system 500` only does the part at the level of system calls.
import { fork } from 'node:child_process';
import { availableParallelism } from 'node:os';
import { loadTs } from './loadTs.mjs';
import { countAsked, writeOutcome } from './outcome.mjs';

const FIRST_SEED = 1000;
/** States at the level of system calls. */
const SYSTEM_STATES = 5000;
/**
 * Of what takes long, so many times the states that a scenario asks for; the test command takes half of what it asks
 * for.
 */
const CLOSER = 10;

if (process.send) await tryOnes();
else if (process.argv[2] === 'system') await trySystemCalls(countAsked(process.argv[3], SYSTEM_STATES));
else {
  await tryAll(countAsked(process.argv[2], 100_000));
  await trySystemCalls(SYSTEM_STATES);
}

/** The program as it is run, cut at its system calls. @param {number} wanted states */
async function trySystemCalls(wanted) {
  const { proveSystemCuts } = await loadTs('src/lib/server/executor/test/systemCuts.ts');
  const began = Date.now();
  const { states, failures } = await proveSystemCuts(wanted, FIRST_SEED);
  for (const failure of failures) console.log(failure);
  const minutes = ((Date.now() - began) / 60_000).toFixed(1);
  const outcome = `\`npm run cuts -- system ${wanted}\` on ${new Date().toISOString().slice(0, 10)}, ${minutes} minutes: ${states.toLocaleString('en-GB')} states at the level of system calls;
${failures.length === 0 ? 'each was gone on from to a proof, or taken back first, and right' : `${failures.length} were not right`}.`;
  writeOutcome('docs/executor.md', 'system cuts', outcome);
  console.log(outcome);
  if (failures.length > 0) process.exitCode = 1;
}

/** A process of its own: tries each run that it is given the number of, and says what came of it. */
async function tryOnes() {
  const { randomRelocation, randomScenario, RELOCATIONS, SCENARIOS } = await loadTs(
    'src/lib/core/executor/test/scenarios.ts',
  );
  const { proveCuts } = await loadTs('src/lib/core/executor/test/cuts.ts');
  const fixed = [...RELOCATIONS, ...SCENARIOS];
  process.on('message', async (/** @type {number} */ number) => {
    const seed = FIRST_SEED + number;
    const made = number % 2 === 0 ? randomRelocation : randomScenario;
    const scenario = fixed[number] ? await fixed[number].lay() : await made(seed);
    if (fixed[number] && scenario.every) scenario.every = Math.ceil(scenario.every / CLOSER);
    process.send?.(await proveCuts(scenario, { subsets: 50, seed, again: 2 }));
  });
  process.send?.(null);
}

/** @param {number} wanted states */
async function tryAll(wanted) {
  let [cuts, runs, next] = [0, 0, 0];
  /** @type {string[]} */
  const failures = [];
  const began = Date.now();
  /** @returns {Promise<void>} */
  const one = () =>
    new Promise((resolve, reject) => {
      const child = fork(import.meta.filename);
      child.on('message', (/** @type {{ cuts: number, failures: string[] } | null} */ result) => {
        if (result) {
          cuts += result.cuts;
          runs++;
          failures.push(...result.failures);
          for (const failure of result.failures) console.log(failure);
          if (runs % 10 === 0)
            console.log(`${cuts} of ${wanted} states, ${runs} runs, ${failures.length} failures`);
        }
        if (cuts < wanted) child.send(next++);
        else child.disconnect();
      });
      child.on('error', reject);
      child.on('exit', (code) => (code === 0 ? resolve() : reject(new Error(`a run broke off (${code})`))));
    });
  await Promise.all(Array.from({ length: availableParallelism() }, one));
  const minutes = ((Date.now() - began) / 60_000).toFixed(1);
  const count = (/** @type {number} */ value) => value.toLocaleString('en-GB');
  const outcome = `\`npm run cuts -- ${wanted}\` on ${new Date().toISOString().slice(0, 10)}, ${minutes} minutes: ${count(runs)} runs were cut, ${count(cuts)} states in all.
Each was gone on from to the end and taken back, every second one then done again; ${failures.length === 0 ? 'each time table and volumes were right' : `in ${failures.length} of them something was not right`}.`;
  writeOutcome('docs/executor.md', 'cuts', outcome);
  console.log(outcome);
  process.exitCode = failures.length === 0 ? 0 : 1;
}
