import { bytesOf, endOf, overlaps, sentenceName, type Partition } from '../disk';
import {
  bootRepair,
  canAside,
  creationOf,
  decryptBytes,
  margin,
  moveBytes,
  movesAtRestart,
  usedBeyond,
  type BareStep,
  type Choice,
  type Kit,
  type Task,
} from '../planning';
import { formatSize, MIB, roundUp } from '../units';
import {
  able,
  copiers,
  decrypters,
  everyTool,
  extenders,
  movers,
  shrinkers,
  windowsOf,
  type Able,
} from './abilities';
import type { Intent } from './intent';
import type { State } from './state';

/** A step as it would be done here, with the tools that can, or why it can't be. */
export type Resolved = { ok: true; choice: Choice } | { ok: false; reason: string };

const no = (reason: string): Resolved => ({ ok: false, reason });

/** What an intent comes to on a state of the disk: exact figures and costs (domain facts 7 and 8). */
export function resolve(task: Task, kit: Kit, state: State, intent: Intent): Resolved {
  if (!('partition' in intent)) return onDisk(task, kit, intent);
  const { partitions, aside } = state.layout;
  if (intent.verb === 'create') return create(task, kit, intent, partitions);
  if (intent.verb === 'put-back') {
    const before = aside.find((one) => one.number === intent.partition);
    if (!before) return no('The recovery partition is not set aside here.');
    return putBack(task, kit, intent, before);
  }
  const partition = partitions.find((one) => one.number === intent.partition);
  if (!partition) return no(`There is no partition ${intent.partition} here.`);
  if (task.fixed.has(partition.number)) {
    return no(`${sentenceName(partition)} is kept fixed: it neither moves nor changes.`);
  }
  return onPartition(task, kit, state, intent, partition);
}

const WHOLE = { partition: null, id: null, from: null, to: null, bytesCopied: 0, exposedBytes: 0 } as const;

function onDisk(
  task: Task,
  kit: Kit,
  intent: Extract<Intent, { verb: 'relocate-table' | 'enlarge-disk' }>,
): Resolved {
  if (intent.verb === 'relocate-table') {
    if (task.disk.table === 'mbr') return no('An MBR disk has no backup table.');
    return yes({ ...WHOLE, verb: 'relocate-table' }, able(everyTool(kit), ''));
  }
  if (!task.mayEnlargeDisk) return no('Enlarging the disk is not allowed for this goal.');
  return yes({ ...WHOLE, verb: 'enlarge-disk', diskSectors: intent.diskSectors }, able(everyTool(kit), ''));
}

const yes = (step: BareStep, { tools, reason }: Able, waiting = 0): Resolved =>
  tools === 0 ? no(reason) : { ok: true, choice: { step, tools, waiting: waiting & tools } };

type OnPartition = Exclude<Intent, { verb: 'relocate-table' | 'enlarge-disk' | 'create' | 'put-back' }>;

function onPartition(
  task: Task,
  kit: Kit,
  state: State,
  intent: OnPartition,
  partition: Partition,
): Resolved {
  const { disk } = task;
  const { first, sectors } = partition;
  const from = { first, sectors };
  const made = !disk.partitions.some((one) => one.number === partition.number);
  const who = { partition: partition.number, id: made ? null : partition.id };
  const decrypted = state.layout.decrypted.includes(partition.number);
  const still = { ...who, from: null, to: null, exposedBytes: 0 };
  const used = partition.volume?.used ?? null;
  switch (intent.verb) {
    case 'shrink': {
      const size = bytesOf(disk, intent.to);
      if (made)
        return no('A volume that the drawing makes is made as small as it is to be: it is never shrunk.');
      const tools = shrinkers(kit, disk, partition, decrypted, size);
      const step = { ...who, verb: 'shrink', from, to: intent.to, exposedBytes: 0 } as const;
      return yes({ ...step, bytesCopied: shrinkBytes(state, partition, size) }, tools);
    }
    case 'extend':
      return yes(
        { ...who, verb: 'extend', from, to: intent.to, bytesCopied: 0, exposedBytes: 0 },
        extenders(kit, partition, decrypted),
      );
    case 'move': {
      const to = { first: intent.first, sectors };
      const bytesCopied = made && used !== null ? used : moveBytes(disk, partition);
      const repair = bootRepair({ disk }, partition);
      const waiting = kit.tools.reduce(
        (set, tool, i) => (movesAtRestart(tool, partition) ? set | (1 << i) : set),
        0,
      );
      return yes(
        {
          ...who,
          verb: 'move',
          from,
          to,
          bytesCopied,
          exposedBytes: overlaps(from, to) ? bytesCopied : 0,
          ...(repair ? { repair } : {}),
        },
        movers(kit, partition, decrypted),
        waiting,
      );
    }
    case 'delete': {
      const name = sentenceName(partition);
      if (partition.number === task.target.number) return no(`${name} is the target; it is never deleted.`);
      const safe = state.layout.copied.includes(partition.number) || (made && used === 0);
      if (!safe && intent.word.trim() === '') return no(`Deleting ${name} needs the owner’s word.`);
      return yes(
        { ...who, verb: 'delete', from, to: null, bytesCopied: 0, exposedBytes: 0 },
        able(everyTool(kit), ''),
      );
    }
    case 'set-aside': {
      const found = disk.partitions.find((one) => one.number === partition.number);
      const can = found !== undefined && canAside(task.machine, disk, found);
      const reason =
        'Only the recovery partition in use can be set aside, while C: has room for what it holds.';
      const step = { ...who, verb: 'set-aside', from, to: null, exposedBytes: 0 } as const;
      return yes(
        { ...step, bytesCopied: used ?? bytesOf(disk, partition) },
        able(can ? windowsOf(kit) : 0, reason),
      );
    }
    case 'decrypt': {
      const tools = decrypters(kit, partition, decrypted);
      const bytesCopied = partition.volume ? decryptBytes(partition.volume) : 0;
      return yes({ ...still, verb: 'decrypt', bytesCopied }, tools);
    }
    case 'copy': {
      const why = noPlaceFor(task, state, partition, intent.into);
      if (why) return no(why);
      return yes(
        { ...still, verb: 'copy', into: intent.into, bytesCopied: used ?? 0 },
        copiers(kit, partition, decrypted),
      );
    }
    case 'copy-back': {
      const source = disk.partitions.find((one) => one.number === intent.of);
      const bytes = source?.volume?.used;
      if (!source || bytes === null || bytes === undefined)
        return no(`What partition ${intent.of} held is not known.`);
      if (!state.layout.copied.includes(intent.of)) {
        return no(`The files of ${sentenceName(source)} do not lie at ${intent.fromOutside} yet.`);
      }
      const short = tooSmall(partition, source);
      if (short) return no(short);
      return yes(
        { ...still, verb: 'copy', fromOutside: intent.fromOutside, of: intent.of, bytesCopied: bytes },
        able(everyTool(kit), ''),
      );
    }
  }
}

/** B(x) - B(m), where m is the smallest size that the partition had so far (domain facts 8). */
function shrinkBytes(state: State, partition: Partition, size: number): number {
  const { volume } = partition;
  if (!volume || volume.used === null) return 0;
  const before = state.smallest.get(partition.number);
  const spent = before === undefined ? 0 : usedBeyond(volume, before);
  return Math.max(0, usedBeyond(volume, size) - spent);
}

/** A new volume takes the files and a margin for what can't be packed (domain facts 7 and 8). */
function tooSmall(into: Partition, source: Partition): string | null {
  const [size, used] = [into.volume?.size ?? 0, source.volume!.used ?? 0];
  const name = sentenceName(source);
  const need = roundUp(used + margin(source.volume!, used), MIB);
  return size >= need
    ? null
    : `The new volume is too small for the files of ${name}: it needs ${formatSize(need)}.`;
}

function noPlaceFor(
  task: Task,
  state: State,
  partition: Partition,
  into: { partition: number } | { outside: string },
): string | null {
  const used = partition.volume?.used ?? 0;
  if ('outside' in into) {
    const left = state.outside.get(into.outside);
    if (left === undefined) return `There is no outside place “${into.outside}” for this goal.`;
    return left >= used
      ? null
      : `${into.outside} has ${formatSize(left)} left, and ${formatSize(used)} are to be copied.`;
  }
  const target = state.layout.partitions.find((one) => one.number === into.partition);
  if (!target) return `There is no partition ${into.partition} to copy into here.`;
  if (task.disk.partitions.some((one) => one.number === into.partition)) {
    return `${sentenceName(target)} holds files of its own. Copy into a volume that the drawing makes.`;
  }
  if ([...state.holds.values()].includes(into.partition)) return 'That new volume holds files already.';
  return partition.volume ? tooSmall(target, partition) : null;
}

function create(
  task: Task,
  kit: Kit,
  intent: Extract<Intent, { verb: 'create' }>,
  partitions: readonly Partition[],
): Resolved {
  const { disk } = task;
  if (partitions.some((one) => one.number === intent.partition))
    return no(`There is a partition ${intent.partition} already.`);
  const frame = partitions.find((one) => one.kind === 'extended');
  const inside = frame !== undefined && intent.to.first >= frame.first && endOf(intent.to) <= endOf(frame);
  const entries = partitions.filter((one) => one.kind !== 'logical').length;
  if (!inside && entries >= (disk.table === 'mbr' ? 4 : 128)) {
    return no(`The table is full: it holds ${entries} partitions already.`);
  }
  const { partition, to, create: made } = intent;
  return yes(
    { partition, id: null, verb: 'create', from: null, to, create: made, bytesCopied: 0, exposedBytes: 0 },
    able(everyTool(kit), ''),
  );
}

function putBack(
  task: Task,
  kit: Kit,
  { to }: Extract<Intent, { verb: 'put-back' }>,
  before: Partition,
): Resolved {
  const used = before.volume?.used ?? bytesOf(task.disk, before);
  const least = before.volume?.used === undefined ? used : roundUp(used + 250 * MIB, MIB);
  const size = bytesOf(task.disk, to);
  if (size < bytesOf(task.disk, before) && size < least) {
    return no(`Windows wants 250 MiB free in it: at least ${formatSize(least)}.`);
  }
  return yes(
    {
      partition: before.number,
      id: before.id,
      verb: 'put-back',
      from: null,
      to,
      create: creationOf(before),
      bytesCopied: used,
      exposedBytes: 0,
    },
    able(windowsOf(kit), ''),
  );
}
