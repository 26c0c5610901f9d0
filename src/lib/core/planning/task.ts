import {
  DEFAULT_RATES,
  SHIPPED_KITS,
  SHIPPED_TOOLS,
  canShrink,
  donorBound,
  recoveryBehind,
  type KeepFree,
  type Kit,
  type Rates,
  type Tool,
} from '../tools';
import { bytesOf, type Disk, type Partition } from '../disk';
import type { Finding } from '../finding';
import { failure, success, type Outcome, type Problem } from '../problem';
import type { OutsidePlace, Terms } from '../steps';
import type { Machine } from '../survey';
import { formatSize } from '../units';
import { makeBlocks } from './blocks';
import type { Preference, RoutesRequest } from './request';

/**
 * A request with every default filled in, every number resolved on the disk, and what follows from it once and for all.
 */
export interface Task extends Terms {
  /** Bytes; 'max' asks for as much as there is. */
  size: number | 'max';
  kits: Kit[];
  /** Partitions that may give, whether or not they have anything to spare. */
  donors: ReadonlySet<number>;
  /** Exact amounts in bytes, held by the technician. */
  gives: ReadonlyMap<number, number>;
  mayDelete: ReadonlySet<number>;
  outside: readonly OutsidePlace[];
  prefer: Preference;
  rates: Rates;
  /**
   * The smallest size in bytes that a tool with such a floor may leave a partition, by its number; null: it can't be
   * known.
   */
  bounds: ReadonlyMap<number, Bounds>;
  /** The recovery partition in use, where it stands right behind Windows as found. */
  recoveryBehind: Partition | null;
  /** Findings that keep any route away, whatever the size asked for. */
  blocks: readonly Finding[];
}

type Bounds = Readonly<Record<Tool['floor'], number | null>>;

function boundsOf(disk: Disk, keepFree: KeepFree): Map<number, Bounds> {
  return new Map(
    disk.partitions.map((partition): [number, Bounds] => [
      partition.number,
      {
        running: donorBound(disk, partition, keepFree, 'running'),
        offline: donorBound(disk, partition, keepFree, 'offline'),
      },
    ]),
  );
}

const NEVER_GIVE: readonly Partition['role'][] = ['windows', 'efi', 'reserved', 'system', 'unknown'];

/** Holds a request against its machine. Every problem carries the path of its field. */
export function taskOf(machine: Machine, request: RoutesRequest): Outcome<Task> {
  const { goal } = request;
  const disk = machine.disks.find((candidate) => candidate.number === request.disk);
  if (!disk) {
    return failure({
      code: 'no-disk',
      path: '/disk',
      message: `The survey has no disk ${request.disk}. It has ${list(machine.disks.map((d) => d.number))}, counted from 0.`,
    });
  }
  const target = disk.partitions.find((candidate) => candidate.number === goal.partition);
  if (!target) {
    return failure({
      code: 'no-partition',
      path: '/goal/partition',
      message: `Disk ${disk.number} has no partition ${goal.partition}. It has ${list(disk.partitions.map((p) => p.number))}.`,
    });
  }
  const keepFree = { percent: request.keepFree?.percent ?? 0, bytes: request.keepFree?.bytes ?? 0 };
  const { size, problems } = goalSize(disk, target, goal);
  problems.push(
    ...unknownNumbers(disk, request.fixed, '/fixed'),
    ...unknownNumbers(disk, request.mayDelete, '/mayDelete'),
    ...checkDeletions(target, request),
    ...unknownNumbers(disk, request.mayJoin, '/mayJoin'),
    ...checkJoins(disk, target, request),
    ...unknownNumbers(disk, request.donors, '/donors'),
    ...checkDonors(disk, target, request),
  );
  if (problems.length > 0) return failure(...problems);

  const gives = new Map(
    Object.entries(request.gives ?? {}).map(([number, bytes]) => [Number(number), bytes]),
  );
  const donors = new Set(
    request.donors ?? disk.partitions.filter((p) => p.role === 'data' && p !== target).map((p) => p.number),
  );
  const named = kitsOf(request);
  if (!named.ok) return named;
  const kits = named.value;
  const bounds = boundsOf(disk, keepFree);
  const giveProblems = checkGives(disk, donors, gives, bounds, kits);
  if (giveProblems.length > 0) return failure(...giveProblems);
  return success({
    machine,
    disk,
    target,
    size,
    kits,
    keepFree,
    fixed: new Set(request.fixed),
    donors,
    gives,
    mayDelete: new Set(request.mayDelete),
    outside: request.outside ?? [],
    mayEnlargeDisk: (request.mayEnlargeDisk ?? false) && disk.media === 'virtual',
    mayConvert: request.mayConvert ?? false,
    mayConvertTable: request.mayConvertTable ?? false,
    mayJoin: new Set(request.mayJoin),
    from: null,
    prefer: request.prefer ?? 'usual',
    rates: request.workshop?.rates ?? DEFAULT_RATES,
    bounds,
    recoveryBehind: recoveryBehind(machine, disk, disk.partitions),
    blocks: makeBlocks(machine, disk, target, { kits, mayConvert: request.mayConvert ?? false }),
  });
}

/** The kits asked for, with their tools. Windows is in every kit, and stands first. */
function kitsOf(request: RoutesRequest): Outcome<Kit[]> {
  const { tools: own = [], kits: ownKits = [] } = request.workshop ?? {};
  const tools = new Map([...SHIPPED_TOOLS, ...own].map((tool) => [tool.id, tool]));
  const problems: Problem[] = [];
  const made = ownKits.map((kit, i): Kit => {
    const named = kit.tools.filter((id) => id !== 'windows').map((id) => tools.get(id));
    const missing = kit.tools.find((id) => !tools.has(id));
    if (missing !== undefined) {
      problems.push({
        code: 'no-tool',
        path: `/workshop/kits/${i}/tools`,
        message: `The kit “${kit.name}” names the tool “${missing}”, which nobody has described.`,
      });
    }
    const known = named.filter((tool): tool is Tool => tool !== undefined);
    return { id: kit.id, name: kit.name, tools: [tools.get('windows')!, ...known] };
  });
  const all = new Map([...SHIPPED_KITS, ...made].map((kit) => [kit.id, kit]));
  const asked = [...new Set(request.kits ?? SHIPPED_KITS.map((kit) => kit.id))];
  asked.forEach((id, i) => {
    if (all.has(id)) return;
    const known = [...all.keys()].join(', ');
    problems.push({
      code: 'no-kit',
      path: `/kits/${i}`,
      message: `There is no kit “${id}”. There are: ${known}.`,
    });
  });
  if (problems.length > 0) return failure(...problems);
  return success(asked.map((id) => all.get(id)!));
}

function goalSize(
  disk: Disk,
  target: Partition,
  goal: RoutesRequest['goal'],
): { size: number | 'max'; problems: Problem[] } {
  const now = bytesOf(disk, target);
  const ways = [goal.size !== undefined, goal.grow !== undefined, goal.max === true].filter(Boolean).length;
  if (ways !== 1) {
    const message = 'Say exactly one of: size (the new total), grow (the amount added) or max.';
    return { size: now, problems: [{ code: 'goal-unclear', path: '/goal', message }] };
  }
  if (goal.max) return { size: 'max', problems: [] };
  const field = goal.size !== undefined ? 'size' : 'grow';
  const path = `/goal/${field}`;
  const asked = goal[field]!;
  if (asked % disk.sectorSize !== 0) {
    const message = `${asked} bytes is no whole number of ${disk.sectorSize}-byte sectors.`;
    return { size: now, problems: [{ code: 'not-sectors', path, message }] };
  }
  const size = field === 'size' ? asked : now + asked;
  if (size <= now) {
    const message = `The target is ${formatSize(now)} already (${now} bytes), and ${formatSize(size)} is no more than that. Ask for a larger size; a target is never shrunk.`;
    return { size, problems: [{ code: 'goal-too-small', path, message }] };
  }
  return { size, problems: [] };
}

function checkDonors(disk: Disk, target: Partition, request: RoutesRequest): Problem[] {
  return (request.donors ?? []).flatMap((number, i) => {
    const partition = disk.partitions.find((candidate) => candidate.number === number);
    if (!partition) return [];
    const path = `/donors/${i}`;
    if (partition === target) {
      return {
        code: 'target-gives',
        path,
        message: `Partition ${number} is the target; it takes room and can't give it.`,
      };
    }
    if (NEVER_GIVE.includes(partition.role)) {
      return {
        code: 'never-gives',
        path,
        message: `Partition ${number} (${partition.role}) never gives room.`,
      };
    }
    return [];
  });
}

function checkDeletions(target: Partition, request: RoutesRequest): Problem[] {
  const i = request.mayDelete?.indexOf(target.number) ?? -1;
  if (i < 0) return [];
  const message = `Partition ${target.number} is the target; it is never deleted.`;
  return [{ code: 'target-deleted', path: `/mayDelete/${i}`, message }];
}

function checkJoins({ partitions }: Disk, target: Partition, request: RoutesRequest): Problem[] {
  return (request.mayJoin ?? []).flatMap((number, i) => {
    const partition = partitions.find((one) => one.number === number);
    if (!partition || (partition.role === 'data' && partition !== target && partition.kind !== 'extended'))
      return [];
    const message = `Partition ${number} is no data volume beside the target: its files can’t go into a folder of it.`;
    return [{ code: 'not-joined', path: `/mayJoin/${i}`, message }];
  });
}

function checkGives(
  disk: Disk,
  donors: ReadonlySet<number>,
  gives: ReadonlyMap<number, number>,
  bounds: Task['bounds'],
  kits: readonly Kit[],
): Problem[] {
  return [...gives].flatMap(([number, bytes]) => {
    const path = `/gives/${number}`;
    const partition = disk.partitions.find((candidate) => candidate.number === number);
    if (!partition)
      return { code: 'no-partition', path, message: `Disk ${disk.number} has no partition ${number}.` };
    if (!donors.has(number)) {
      return { code: 'not-a-donor', path, message: `Partition ${number} is not among those that may give.` };
    }
    if (bytes % disk.sectorSize !== 0) {
      return {
        code: 'not-sectors',
        path,
        message: `${bytes} bytes is no whole number of ${disk.sectorSize}-byte sectors.`,
      };
    }
    const now = bytesOf(disk, partition);
    const spares = kits
      .flatMap((kit) => kit.tools)
      .filter((tool) => canShrink(tool, partition))
      .map((tool) => now - (bounds.get(number)![tool.floor] ?? now));
    const spare = Math.max(0, ...spares);
    if (bytes > spare) {
      return {
        code: 'gives-too-much',
        path,
        message: `Partition ${number} can give at most ${formatSize(spare)} (${spare} bytes), not ${formatSize(bytes)}.`,
      };
    }
    return [];
  });
}

function unknownNumbers(disk: Disk, numbers: number[] | undefined, path: string): Problem[] {
  return (numbers ?? []).flatMap((number, i) =>
    disk.partitions.some((partition) => partition.number === number)
      ? []
      : {
          code: 'no-partition',
          path: `${path}/${i}`,
          message: `Disk ${disk.number} has no partition ${number}.`,
        },
  );
}

const list = (numbers: number[]): string => (numbers.length === 0 ? 'none' : numbers.join(', '));
