import { share, shareOf } from '../../test/evidence';
import { taskOf } from '../task';
import { describe, expect, it } from 'vitest';
import { endOf } from '../../disk';
import type { Verb } from '../../steps';
import { machineOf } from '../../survey';
import { planRoutes, type Route } from '..';
import { covers } from '../criteria';
import { criteriaOf } from '../criteria';
import { smallCase } from '../test/smallDisks';
import { SITUATIONS } from '../test/catalogue/situations';
import type { RoutesRequest } from '../request';
import { Bounds } from './bounds';
import { searchProblemOf, type SearchProblem } from './searchProblem';
import { slackLimitsOf } from './slackLimits';
import { AS_FOUND, bit, rootOf } from './skeleton';
import { Walls } from './walls';

/** The blocks that keep their found place all along a route, as bits. */
function wallsOf(problem: SearchProblem, { steps }: Route): number {
  const gone = new Set(
    steps
      .filter(({ verb }) => ['move', 'delete', 'set-aside', 'copy'].includes(verb))
      .map(({ partition }) => partition),
  );
  return problem.blocks.reduce(
    (set, block) => (gone.has(block.partition.number) ? set : set | bit(block.id)),
    0,
  );
}

const ELSEWHERE: readonly Verb[] = ['relocate-table', 'enlarge-disk', 'join', 'convert-table'];

/** Holds every route that is found against what the bounds say of a disk where nothing was done yet. */
function holdAll(request: RoutesRequest, steps: number): number {
  const answer = planRoutes(request, { milliseconds: 60_000, nodes: 3000, steps });
  if (!answer.ok) throw new Error(JSON.stringify(answer.problems));
  const resolved = taskOf(machineOf(request.survey), request);
  if (!resolved.ok || resolved.value.gives.size > 0) return 0;
  const task = resolved.value;
  const area = { first: task.disk.usable.first, end: endOf(task.disk.usable) };
  let held = 0;
  for (const route of answer.value.routes) {
    // Those begin on another search problem: with the table at the end, the disk enlarged, or volumes joined.
    if (route.steps.some(({ verb }) => ELSEWHERE.includes(verb))) continue;
    if (route.steps.length > steps) continue;
    const kit = task.kits.find(({ id }) => id === route.kit)!;
    const problem = searchProblemOf(task, kit, task.disk.partitions, area);
    const limits = slackLimitsOf(problem, 0);
    const { size, grow } = request.goal;
    const bytes = size ?? task.target.sectors * task.disk.sectorSize + grow!;
    const aim = { goal: bytes / task.disk.sectorSize, end: AS_FOUND };
    const walls = wallsOf(problem, route);
    const moves = (walls & bit(problem.target)) === 0;
    const asks = { limit: steps, most: steps, usual: false, isDominated: () => false };
    const context = { problem, aim, limits };
    const bounds = new Bounds(context, new Walls(context), moves, asks);
    const criteria = criteriaOf(route);
    const own = bounds.of(rootOf(problem), null).filter((bound) => bound.walls === walls);
    const least = own.filter((bound) => covers(bound, criteria));
    expect(least, `${route.title}: ${JSON.stringify({ criteria, own })}`).not.toHaveLength(0);
    held++;
  }
  return held;
}

describe('the bounds for sets of walls', () => {
  it('are never above a route that is found on a made-up disk', () => {
    let held = 0;
    const seeds = shareOf(
      Array.from({ length: 250 }, (_, i) => i + 1),
      10,
    );
    for (const seed of seeds) held += holdAll(smallCase(seed, 6, 6).request, 6);
    expect(held).toBeGreaterThan(share(100, 20));
  });

  it('are never above a route of the catalogue', () => {
    const whole = SITUATIONS.filter(({ survey }) =>
      survey.disks[0]!.partitions.every(({ kind }) => kind !== 'extended'),
    );
    let held = 0;
    for (const { survey, ask } of whole) held += holdAll({ survey, disk: 0, ...ask }, 8);
    expect(held).toBeGreaterThan(60);
  });
});
