// Cuts the power of made-up runs at every instant until so many states were found and mended, and writes the outcome into
// docs/bench.md: `npm run cuts`, or `npm run cuts -- 5000` for fewer.
import { readFileSync, writeFileSync } from 'node:fs';
import { loadTs } from './loadTs.mjs';

const WANTED = Number(process.argv[2] ?? 100_000);
const FIRST_SEED = 1000;
const { randomRelocation, randomScenario, RELOCATIONS, SCENARIOS } = await loadTs(
  'src/lib/core/bench/test/scenarios.ts',
);
const { proveCuts } = await loadTs('src/lib/core/bench/test/cuts.ts');
let cuts = 0;
let runs = 0;
/** @type {string[]} */
const failures = [];
const began = Date.now();
const fixed = [...RELOCATIONS, ...SCENARIOS];
for (let seed = FIRST_SEED; cuts < WANTED; seed++) {
  const known = fixed[seed - FIRST_SEED];
  const made = seed % 2 === 0 ? randomRelocation : randomScenario;
  const scenario = known ? await known.lay() : await made(seed);
  const result = await proveCuts(scenario, { subsets: 50, seed, again: 2 });
  cuts += result.cuts;
  runs++;
  failures.push(...result.failures);
  if (runs % 10 === 0) console.log(`${cuts} of ${WANTED} states, ${runs} runs, ${failures.length} failures`);
}
for (const failure of failures) console.log(failure);
const minutes = ((Date.now() - began) / 60_000).toFixed(1);
const count = (/** @type {number} */ value) => value.toLocaleString('en-GB');
const outcome = `\`npm run cuts -- ${WANTED}\` on ${new Date().toISOString().slice(0, 10)}, ${minutes} minutes: ${count(runs)} runs were cut at every
write, ${count(cuts)} states in all. Each was gone on from to the end and taken back, every second one then done again; ${failures.length === 0 ? 'each time table and volumes were right' : `in ${failures.length} of them something was not right`}.`;
const FILE = 'docs/bench.md';
const MARK = /<!-- cuts -->[\s\S]*<!-- end -->/;
writeFileSync(FILE, readFileSync(FILE, 'utf8').replace(MARK, `<!-- cuts -->\n\n${outcome}\n\n<!-- end -->`));
console.log(outcome);
process.exit(failures.length === 0 ? 0 : 1);
