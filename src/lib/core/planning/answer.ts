import { Type, type Static } from 'typebox';
import { closed, Bytes } from '../shapes';
import { bytesOf } from '../disk';
import { findPartitionNow, type Layout } from '../steps';
import { FindingShape, type Finding } from '../finding';
import { failure, success, type Outcome } from '../problem';
import { machineOf } from '../survey';
import type { Kit } from '../tools';
import { makeBlocks } from './blocks';
import { compareByPreference } from './order';
import { frontOf, largestOf, kitProblemOf, type KitFront, type KitProblem } from './problem';
import type { RoutesRequest } from './request';
import { routeOf, RouteShape } from './route';
import { MAX_STEPS } from './search/search';
import { explainOutOfReach, explainFileSystemLimit } from './stopped';
import { taskOf, type Task } from './task';
import { limitOf } from './ways';

/** The answer of `POST /api/v1/routes` (contract). Sizes in bytes. */
export const RoutesAnswerShape = closed({
  reached: Type.Boolean(),
  /** The largest size that the target can get, over the kits asked for. */
  largest: Bytes,
  /** The same for each kit. */
  largestByKit: Type.Record(Type.String(), Bytes, { maxProperties: 50 }),
  findings: Type.Array(FindingShape, { maxItems: 100 }),
  routes: Type.Array(RouteShape, { maxItems: 500 }),
});
export type RoutesAnswer = Static<typeof RoutesAnswerShape>;

/** Time that a plan may take, and how to hear of it and to stop it. */
export interface Planning {
  /** Milliseconds; 2,000 where it is not said. */
  milliseconds?: number;
  /** Skeletons looked at for each kit, at the most. */
  nodes?: number;
  /**
   * Steps that a route may have, at most 8, none of them let go; where it is not said, those that somebody would
   * choose.
   */
  steps?: number;
  progress?: (share: number, kit: string) => void;
  /** Receives the number of skeletons that the search looked at, for each kit. */
  counted?: (nodes: number, kit: string) => void;
  /** Returns true to stop the search; called now and then. */
  cancelled?: () => boolean;
}

const MILLISECONDS = 2000;
/** Skeletons for each kit: counted, so that the same request gets the same answer; time is only the last resort. */
const MAX_NODES = 1100;
/** The same on disks with more partitions than the search sees, where it promises nothing. */
const MAX_NODES_BEYOND = 300;

const mostNodes = ({ whole }: KitProblem): number => (whole ? MAX_NODES : MAX_NODES_BEYOND);

/**
 * Plans for a checked survey: all unbeaten routes of each kit (domain facts 8, docs/planner.md). The same
 * request always gets the same answer, unless time runs out, which a finding says.
 *
 * Problem codes are those of {@link taskOf}; an unreachable goal is no problem but an answer.
 */
export function planRoutes(request: RoutesRequest, planning: Planning = {}): Outcome<RoutesAnswer> {
  const resolved = taskOf(machineOf(request.survey), request);
  if (!resolved.ok) return failure(...resolved.problems);
  const task = resolved.value;
  const foundSize = bytesOf(task.disk, task.target);
  const nothing = (largestByKit: Record<string, number>, findings: Finding[]): Outcome<RoutesAnswer> =>
    success({
      reached: false,
      largest: Math.max(foundSize, ...Object.values(largestByKit)),
      largestByKit,
      findings,
      routes: [],
    });
  if (task.blocks.length > 0) return nothing(sameForAll(task.kits, foundSize), [...task.blocks]);

  const began = Date.now();
  // Every kit has its share of the time, so that one with many tools does not starve the next.
  const milliseconds = planning.milliseconds ?? MILLISECONDS;
  const budgetFor = (kitProblem: KitProblem, share: number, kits: number) => ({
    nodes: Math.floor((planning.nodes ?? mostNodes(kitProblem)) * share),
    steps: planning.steps ?? MAX_STEPS,
    stopped: () => {
      const spent = Date.now() - began;
      planning.progress?.(Math.min(0.99, spent / milliseconds), task.kits[kits - 1]!.id);
      return spent > (milliseconds * kits) / task.kits.length || (planning.cancelled?.() ?? false);
    },
  });
  const limits = task.kits.map((kit) => limitOf(task, kit));
  const largestByKit: Record<string, number> = {};
  const fronts: KitFront[] = [];
  task.kits.forEach((kit, i) => {
    planning.progress?.(i / task.kits.length, kit.id);
    if (!growsWith(task, kit)) {
      largestByKit[kit.id] = foundSize;
      return;
    }
    const kitProblem = kitProblemOf(task, kit, planning.steps === undefined);
    const { bytes, ways } = largestOf(kitProblem, budgetFor(kitProblem, LARGEST_SHARE, i + 1));
    const limit = limits[i]!;
    const most = Math.min(limit, bytes);
    largestByKit[kit.id] = Math.max(foundSize, most);
    const size = task.size === 'max' ? largestByKit[kit.id]! : task.size;
    if (size <= foundSize || size > limit) return;
    const budget = budgetFor(kitProblem, 1, i + 1);
    const others = fronts.filter((front) => front.size === size).flatMap((front) => front.intents);
    const seeds = (size === bytes ? [...ways, ...others] : others).filter(
      (intents) => intents.length <= budget.steps,
    );
    const { nodes } = budget;
    fronts.push(frontOf(kitProblem, size, budget, seeds));
    planning.counted?.(nodes - Math.max(0, budget.nodes), kit.id);
  });
  const reached = fronts.flatMap((front) => front.routes.map((route) => ({ front, route })));
  const sizes = reached.map(({ route }) => sizeLeft(task, route.left));
  const largest = Math.max(foundSize, ...Object.values(largestByKit), ...sizes);
  // Only the kits that get the most answer where all there is was asked for.
  const wanted = task.size === 'max' ? reached.filter((_, i) => sizes[i] === largest) : reached;
  const notes = fronts.flatMap((front) => limitationsOf(front));
  if (wanted.length === 0) {
    const tooLarge = task.size !== 'max' && task.size > Math.max(...limits);
    const why = tooLarge ? explainFileSystemLimit(task) : explainOutOfReach(task, largest, largestByKit);
    return success({ reached: false, largest, largestByKit, findings: [...why, ...notes], routes: [] });
  }
  const order = new Map(task.kits.map((kit, i) => [kit.id, i]));
  const routes = wanted
    .sort(
      (a, b) =>
        compareByPreference(task.prefer, a.route, b.route) ||
        order.get(a.front.kit.id)! - order.get(b.front.kit.id)! ||
        (a.route.rank.list < b.route.rank.list ? -1 : 1),
    )
    .map(({ front, route }) => routeOf(task, front.kit, route));
  return success({ reached: true, largest, largestByKit, findings: notes, routes });
}

/** The largest size is settled with a smaller share of the search than the routes. */
const LARGEST_SHARE = 0.25;

/**
 * The most that each kit can give the target, in bytes. On a disk that the search can't see whole it is what pushing
 * alone reaches: a diagnosis is asked for at every turn and must be quick.
 */
export function findLargestSizes(task: Task): Record<string, number> {
  const found = bytesOf(task.disk, task.target);
  const until = Date.now() + MILLISECONDS;
  return Object.fromEntries(
    task.kits.map((kit) => {
      if (!growsWith(task, kit)) return [kit.id, found];
      const kitProblem = kitProblemOf(task, kit);
      const nodes = mostNodes(kitProblem) * LARGEST_SHARE;
      const budget = { nodes, steps: MAX_STEPS, stopped: () => Date.now() > until };
      const { bytes } = largestOf(kitProblem, budget);
      return [kit.id, Math.max(found, Math.min(limitOf(task, kit), bytes))];
    }),
  );
}

/**
 * Whether a kit can extend the target at all, as it is or once it is decrypted or converted: one that can't is not
 * asked, as where it is the only one.
 */
const growsWith = ({ machine, disk, target, mayConvert }: Task, kit: Kit): boolean =>
  makeBlocks(machine, disk, target, { kits: [kit], mayConvert }).length === 0;

const sameForAll = (kits: readonly Kit[], size: number): Record<string, number> =>
  Object.fromEntries(kits.map((kit) => [kit.id, size]));

const sizeLeft = ({ disk, target }: Task, left: Layout): number => {
  const now = findPartitionNow(left, target.number);
  return now ? bytesOf(disk, now) : 0;
};

/** Limits of what the answer promises. */
function limitationsOf(front: KitFront): Finding[] {
  const base = { severity: 'note' as const, partitions: [], remedies: [] };
  if (front.stopped) {
    return [
      {
        ...base,
        code: 'stopped-early',
        title: `${front.kit.name}: the search stopped early`,
        detail: `It looked at as many ways as it may, and not at all of those with up to ${front.steps} steps. The routes shown work and stand in their order; there may be a better one.`,
      },
    ];
  }
  if (front.complete) return [];
  return [
    {
      ...base,
      code: 'not-proved-best',
      title: `${front.kit.name}: not proved best`,
      detail:
        'On a disk of more than 12 partitions, or with more than 8 steps, only the ways around the target are looked at. The routes shown work; there may be better ones.',
    },
  ];
}
