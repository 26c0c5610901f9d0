// What each bound of the search saves: `npm run bench -- ablation`. Each is left out in turn, in a bundle of its own,
// by replacing the line that asks for it, and the same disks are searched again. What saves less than 3 % everywhere is
// not worth its lines.
import { bundle } from '../bundle.mjs';
import { resolve } from 'node:path';

/** What is left out, in which module, and what stands there instead. @type {[string, string, string, string][]} */
const BOUNDS = [
  [
    'what the places of the skeleton ask of donors',
    'search/bounds.ts',
    'donorLowerBound(problem, at, limits)',
    '(void donorLowerBound, { slots: 0, bytes: 0 })',
  ],
  [
    'a room that something else must want',
    'search/walls.ts',
    'this.everyRoomIsWanted(walls) ?',
    '(true || this.everyRoomIsWanted(walls)) ?',
  ],
  [
    'steps until freed room is taken',
    'search/bound.ts',
    'Math.ceil((countBits(freed & ~bit(problem.target) & ~problem.growable) - pending) / 2)',
    '0 * (countBits(freed & ~bit(problem.target) & ~problem.growable) - pending)',
  ],
  ['going twice in a row', 'search/relocations.ts', 'if (!isWorthTwo(', 'if (false && !isWorthTwo('],
  [
    'the two heaviest, over their places or clear of them',
    'search/boundEvaluator.ts',
    'if (!p) return',
    'if (true || !p) return',
  ],
  [
    'what went clear of its place before',
    'search/copyings.ts',
    'of at.cleared)',
    'of at.cleared.slice(0, 0))',
  ],
  [
    'restarts of what still goes',
    'search/boundEvaluator.ts',
    'restarts = Math.max(restarts, this.restartsOf(block.id));',
    'restarts = Math.max(restarts, 0 * this.restartsOf(block.id));',
  ],
  [
    'donors that must be shrunk',
    'search/boundEvaluator.ts',
    'cost.steps + Math.max(all.donors, usual?.kept.donors ?? 0)',
    'cost.steps + 0 * Math.max(all.donors, usual?.kept.donors ?? 0)',
  ],
  ['slots that donors give', 'search/boundEvaluator.ts', 'Math.max(all.slots, so.given)', 'so.given'],
  ['room beside a copy', 'search/boundEvaluator.ts', 'Math.max(all.slots, so.given)', 'all.slots'],
  [
    'routes of other kits to begin with',
    'problem.ts',
    'seeds.forEach(take)',
    'seeds.slice(0, 0).forEach(take)',
  ],
  [
    'bytes that donors copy',
    'search/boundEvaluator.ts',
    'Math.max(asked.bytes, all.bytes, usual',
    'Math.max(asked.bytes, usual',
  ],
  [
    'whole clusters',
    'search/boundEvaluator.ts',
    'Math.ceil(shrunk / limits.grain - 1e-6) * limits.grain',
    'shrunk',
  ],
  [
    'a single move of the target',
    'search/boundEvaluator.ts',
    'add(demands.once, FREE, 0, [])',
    'add(demands.rest, FREE, 0, [])',
  ],
];

/** @param {[string, string, string, string] | null} bound */
async function counted(bound) {
  let hits = 0;
  const [, module, from, to] = bound ?? ['', '', '', ''];
  /** @type {import('vite').Plugin} */
  const leftOut = {
    name: 'left-out',
    enforce: 'pre',
    transform(code, id) {
      if (!bound || !id.endsWith(module)) return undefined;
      hits += code.split(from).length - 1;
      return code.replace(from, to);
    },
  };
  const out = `.local/bench/ablation-${bound ? BOUNDS.indexOf(bound) : 'none'}.mjs`;
  await bundle('scripts/bench/nodes.ts', out, [leftOut]);
  if (bound && hits !== 1)
    throw new Error(`“${from}” stands ${hits} times in ${module}: mend scripts/bench/ablation.mjs`);
  const { countNodes } = await import(resolve(out));
  return /** @type {Record<string, import('./nodes').Count>} */ (countNodes());
}

/** What leaving each bound out comes to: a row for each, with how many more skeletons every set of disks then takes. */
export async function ablation() {
  const all = await counted(null);
  const sets = Object.keys(all);
  console.log(`| left out | ${sets.join(' | ')} |\n| --- | ${sets.map(() => '---').join(' | ')} |`);
  for (const bound of BOUNDS) {
    const without = await counted(bound);
    const cells = sets.map((set) => {
      const [before, after] = [all[set], without[set]];
      if (!before || !after) return '–';
      const more = 100 * (after.skeletons / before.skeletons - 1);
      const lost = before.routes - after.routes;
      const stops = after.stopped - before.stopped;
      return [
        `${more < 0 ? '' : '+'}${more.toFixed(1)} %`,
        ...(stops > 0 ? [`${stops} more give up`] : []),
        ...(lost > 0 ? [`${lost} routes fewer`] : []),
      ].join(', ');
    });
    console.log(`| ${bound[0]} | ${cells.join(' | ')} |`);
  }
  console.log(
    Object.entries(all)
      .map(
        ([set, { skeletons, stopped, routes }]) =>
          `${set}: ${skeletons} skeletons, ${routes} routes, ${stopped} give up`,
      )
      .join('; '),
  );
}
