// Holds the planner against the exhaustive search on many made-up disks and writes the outcome into
// docs/planner.md: `npm run prove`, or `npm run prove -- 2000 8` for 2,000 disks and routes of up to 8 steps.
import { loadTs } from './loadTs.mjs';
import { countAsked, writeOutcome } from './outcome.mjs';

const DISKS = countAsked(process.argv[2], 10_000);
const STEPS = countAsked(process.argv[3], 6);
const PARTITIONS = 6;
/** Labels that the exhaustive search looks at, and skeletons that the planner does, before a disk counts as open. */
const LABELS = 60_000;
const NODES = 6000;

const { compare, smallCase } = await loadTs('src/lib/core/planning/test/smallDisks.ts');
const counted = { agrees: 0, unknown: 0, misses: 0, reached: 0, routes: 0 };
const began = Date.now();
for (let seed = 1; seed <= DISKS; seed++) {
  const verdict = compare(smallCase(100_000 + seed, PARTITIONS, STEPS), LABELS, NODES);
  counted[/** @type {'agrees' | 'unknown' | 'misses'} */ (verdict.kind)]++;
  if (verdict.kind === 'misses') {
    console.log(
      `seed ${100_000 + seed}: ${verdict.vector} is missing from ${JSON.stringify(verdict.front)}\n${verdict.path}`,
    );
  }
  if (verdict.kind === 'agrees' && verdict.routes > 0) {
    counted.reached++;
    counted.routes += verdict.routes;
  }
  if (seed % 500 === 0) console.log(`${seed} of ${DISKS}`, counted);
}
const minutes = ((Date.now() - began) / 60_000).toFixed(1);
const outcome = `\`npm run prove -- ${DISKS} ${STEPS}\` on ${new Date().toISOString().slice(0, 10)}, ${minutes} minutes: of
${DISKS.toLocaleString('en-GB')} made-up disks of up to ${PARTITIONS} partitions, with routes of up to ${STEPS} steps, the front was the same on
${counted.agrees.toLocaleString('en-GB')} (${counted.reached.toLocaleString('en-GB')} of them with a way, ${counted.routes.toLocaleString('en-GB')} routes in all), a route was missing on ${counted.misses}, and ${counted.unknown} were left open
because one of the two searches gave up before its end.`;
writeOutcome('docs/planner.md', 'proved', outcome);
console.log(counted);
process.exit(counted.misses === 0 ? 0 : 1);
