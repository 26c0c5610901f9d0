import { bytesOf, endOf, sameExtent, sentenceName, type FileSystem, type Partition } from '../disk';
import type { Finding } from '../finding';
import { failure, success, type Outcome } from '../problem';
import { machineOf } from '../survey';
import { formatMib, formatSize } from '../units';
import { blocksFor } from './blocks';
import { chainBehind, type Chain, type WallReason } from './chain';
import { cheapestPush, furthestEnd } from './orderKeeping';
import { taskOf, type RoutesRequest, type Task } from './request';
import { routeOf, type Route, type Totals } from './route';
import { OFFERED_KITS, type Kit } from './tools';

/** The answer of `POST /api/v1/routes` (contract). Sizes in bytes. */
export interface RoutesAnswer {
  reached: boolean;
  /** The largest size that the target can get, over the kits asked for. */
  largest: number;
  findings: Finding[];
  routes: Route[];
}

/** Most clusters that a file system can have (domain facts 4 and 5). */
const MOST_CLUSTERS: Partial<Record<FileSystem, number>> = { ntfs: 2 ** 32 - 1, fat32: 2 ** 28 - 12 };

/**
 * Plans for a checked survey. The same request always gets the same answer. So far one route: with the
 * offline mover, keeping the partitions' order, with the fewest bytes copied.
 *
 * Problem codes are those of {@link taskOf}; an unreachable goal is no problem but an answer.
 */
export function planRoutes(request: RoutesRequest): Outcome<RoutesAnswer> {
  const machine = machineOf(request.survey);
  const resolved = taskOf(machine, request);
  if (!resolved.ok) return failure(...resolved.problems);
  const task = resolved.value;
  const notOffered = [
    ...task.kits.filter((kit) => !OFFERED_KITS.includes(kit)).map(kitNotOffered),
    ...unused(task),
  ];
  const foundSize = bytesOf(task.disk, task.target);
  const nothing = (largest: number, findings: Finding[]): Outcome<RoutesAnswer> =>
    success({ reached: false, largest, findings: [...findings, ...notOffered], routes: [] });

  const blocks = [...blocksFor(machine, task.disk, task.target), ...giftsOutOfReach(task)];
  const offered = task.kits.some((kit) => OFFERED_KITS.includes(kit));
  if (blocks.length > 0 || !offered) return nothing(foundSize, blocks);

  const { largest, stop } = largestSize(task);
  const size = task.size === 'max' ? largest : task.size;
  if (size > largest || largest === foundSize) return nothing(largest, [stop]);
  const route = bestRoute(task, size);
  if (!route) return nothing(largest, [stop]);
  return success({ reached: true, largest, findings: notOffered, routes: [route] });
}

/** The largest size in bytes that the partition's file system can number the clusters of; null: not known. */
export function clusterLimit({ volume }: Partition): number | null {
  const clusters = volume && MOST_CLUSTERS[volume.fileSystem];
  return clusters && volume.clusterSize > 0 ? clusters * volume.clusterSize : null;
}

/** The largest size for the target, in bytes, and the finding that says what stops it there. */
export function largestSize(task: Task): { largest: number; stop: Finding } {
  const { disk, target } = task;
  const found = bytesOf(disk, target);
  const chain = chainBehind(task, disk.usableRelocated);
  const byRoom = (furthestEnd(task, chain) - target.first) * disk.sectorSize;
  const byClusters = clusterLimit(target) ?? Infinity;
  const largest = Math.max(found, Math.min(byRoom, byClusters));
  return {
    largest,
    stop: byClusters < byRoom ? stoppedByClusters(task, byClusters) : stopFinding(task, chain, largest),
  };
}

function bestRoute(task: Task, size: number): Route | null {
  const { disk, target } = task;
  const targetEnd = target.first + size / disk.sectorSize;
  const enlarged = !sameExtent(disk.usable, disk.usableRelocated);
  const variants = enlarged ? [false, true] : [false];
  let best: Route | null = null;
  for (const relocate of variants) {
    const chain = chainBehind(task, relocate ? disk.usableRelocated : disk.usable);
    const push = cheapestPush(task, chain, targetEnd);
    if (!push) continue;
    const route = routeOf(task, chain, push, relocate);
    if (!best || isBetter(route.totals, best.totals)) best = route;
  }
  return best;
}

/** Fewest bytes first; the other criteria only break ties, in the order of domain facts 8. */
function isBetter(a: Totals, b: Totals): boolean {
  const vector = (t: Totals) => [t.bytesCopied, t.exposedBytes, t.restarts, t.steps, t.idle, t.stranded];
  const [left, right] = [vector(a), vector(b)];
  const at = left.findIndex((value, i) => value !== right[i]);
  return at >= 0 && left[at]! < right[at]!;
}

const WALL_TEXT: Record<WallReason, { title: string; why: string }> = {
  fixed: { title: 'is held in place', why: 'It was asked that it be neither moved nor changed.' },
  encrypted: {
    title: 'is encrypted',
    why: 'Movers leave encrypted volumes alone until they are fully decrypted.',
  },
  extended: {
    title: 'is an extended partition',
    why: 'Moving or shrinking an extended partition with its logical drives is not planned yet.',
  },
  'boot-on-mbr': {
    title: 'must start where it starts',
    why: 'On an MBR disk the boot data is bound to this place; moving it stops the machine from booting, and the repair is not planned yet.',
  },
};

function stopFinding(task: Task, chain: Chain, largest: number): Finding {
  const { disk, target } = task;
  const name = sentenceName(target);
  const most = `${name} can get at most ${formatSize(largest)} (${formatMib(largest)}).`;
  const givers = chain.links
    .filter((link) => link.least < link.sectors)
    .map((link) => sentenceName(link.partition));
  const emptied = givers.length > 0 ? `, with ${givers.join(' and ')} shrunk as far as allowed` : '';
  if (chain.stop.kind === 'wall') {
    const { partition, reason } = chain.stop;
    const text = WALL_TEXT[reason];
    return {
      code: `stopped-${reason}`,
      severity: 'blocks',
      partitions: [partition.number],
      title: `${sentenceName(partition)} ${text.title}`,
      detail: `${text.why} Everything between ${name} and it is counted${emptied}. ${most}`,
      remedies:
        reason === 'encrypted'
          ? [{ title: `Decrypt ${sentenceName(partition)} fully first`, tools: ['windows'] }]
          : [],
    };
  }
  const end = endOf(disk.usableRelocated);
  return {
    code: 'no-more-room',
    severity: 'blocks',
    partitions: [target.number],
    title: 'There is no more room behind it',
    detail: `Everything up to the end of disk ${disk.number} (sector ${end - 1}) is counted${emptied}. ${most}`,
    remedies: [],
  };
}

function stoppedByClusters(task: Task, bytes: number): Finding {
  const name = sentenceName(task.target);
  return {
    code: 'cluster-limit',
    severity: 'blocks',
    partitions: [task.target.number],
    title: `${name} has reached what its clusters can address`,
    detail: `With clusters of ${formatSize(task.target.volume!.clusterSize)} this file system ends at ${formatSize(bytes)}.`,
    remedies: [],
  };
}

/** Gifts held by the technician count only from partitions that can pass them on to the target. */
function giftsOutOfReach(task: Task): Finding[] {
  const chain = chainBehind(task, task.disk.usableRelocated);
  const reachable = new Set(chain.links.map((link) => link.partition.number));
  const lost = [...task.gives.keys()].filter((number) => !reachable.has(number));
  if (lost.length === 0) return [];
  return [
    {
      code: 'gives-out-of-reach',
      severity: 'blocks',
      partitions: lost,
      title: 'A gift cannot reach the target',
      detail: `Partition ${lost.join(', ')} does not lie behind ${sentenceName(task.target)} with only movable partitions between, so what it gives stays out of reach.`,
      remedies: [],
    },
  ];
}

const KIT_NAME: Record<Kit, string> = {
  'windows-only': 'Windows only',
  'live-mover': 'Live mover',
  'offline-mover': 'Offline mover',
};

const kitNotOffered = (kit: Kit): Finding => ({
  code: 'kit-not-offered',
  severity: 'note',
  partitions: [],
  title: `${KIT_NAME[kit]}: not offered yet`,
  detail: `Routes with the kit “${kit}” are not computed yet, so this answer says nothing about them.`,
  remedies: [],
});

const unused = (task: Task): Finding[] =>
  task.unused.map((field) => ({
    code: 'permission-not-used',
    severity: 'note',
    partitions: [],
    title: `${field} is not used yet`,
    detail: `Routes that make use of “${field}” are not computed yet; the answer is what can be done without it.`,
    remedies: [],
  }));
