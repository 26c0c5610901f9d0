import type { Task } from './task';
import { sizeLimit, type Kit } from '../tools';
import { joinNames } from '../steps';
import { bytesOf, endOf, nameInSentence } from '../disk';
import type { Finding } from '../finding';
import { formatMib, formatSize } from '../units';
import { findChain, type HoldReason } from './chain';

const HOLD_TEXT: Record<HoldReason, { title: string; why: string }> = {
  fixed: { title: 'is held in place', why: 'It was asked that it be neither moved nor changed.' },
  encrypted: {
    title: 'is encrypted',
    why: 'Movers leave encrypted volumes alone until they are fully decrypted.',
  },
  extended: {
    title: 'is an extended partition',
    why: 'It can only be made larger or smaller around its drives, not moved out of the way whole.',
  },
  'no-mover': { title: 'stays where it is', why: 'No tool of this kit can move it.' },
};

/** Why no route of any kit reaches the size: what stops the most powerful one, and the most there is. */
export function explainOutOfReach(task: Task, largest: number, byKit: Record<string, number>): Finding[] {
  // Of kits that reach as far, the last named is mostly the most powerful.
  const kit = [...task.kits].reverse().sort((a, b) => (byKit[b.id] ?? 0) - (byKit[a.id] ?? 0))[0];
  if (!kit) return [];
  const lost = [...task.gives].filter(([, bytes]) => bytes > 0).map(([number]) => number);
  if (lost.length > 0) return [heldTooTight(task, lost)];
  return [stopOf(task, kit, largest)];
}

function stopOf(task: Task, kit: Kit, largest: number): Finding {
  const { disk, target } = task;
  const name = nameInSentence(target);
  const most =
    largest > bytesOf(disk, target)
      ? `${name} can get at most ${formatSize(largest)} (${formatMib(largest, disk.sectorSize)}).`
      : `${name} can get no more than it has.`;
  const chain = findChain(task, kit, disk.usableRelocated);
  const givers = chain.links
    .filter((link) => link.least < link.sectors)
    .map((link) => nameInSentence(link.partition));
  const emptied = givers.length > 0 ? `, with ${joinNames(givers)} shrunk as far as allowed` : '';
  if (chain.stop.kind === 'held') {
    const { partition, reason } = chain.stop;
    const text = HOLD_TEXT[reason];
    return {
      code: `stopped-${reason}`,
      severity: 'blocks',
      partitions: [partition.number],
      title: `${nameInSentence(partition)} ${text.title}`,
      detail: `${text.why} Everything between ${name} and it is counted${emptied}. ${most}`,
      remedies:
        reason === 'encrypted'
          ? [{ title: `Decrypt ${nameInSentence(partition)} fully first`, tools: ['windows'] }]
          : [],
    };
  }
  return {
    code: 'no-more-room',
    severity: 'blocks',
    partitions: [target.number],
    title: 'There is no more room',
    detail: `Everything up to the end of disk ${disk.number} (sector ${endOf(disk.usableRelocated) - 1}) is counted${emptied}. ${most}`,
    remedies: [],
  };
}

function heldTooTight(task: Task, held: number[]): Finding {
  return {
    code: 'gives-out-of-reach',
    severity: 'blocks',
    partitions: held,
    title: 'The amounts held do not reach it',
    detail: `With exactly what is held for partition ${joinNames(held.map(String))}, no way was found that brings the room to ${nameInSentence(task.target)}. Let the planner choose an amount, or hold another.`,
    remedies: [],
  };
}

/** The target's file system ends there, however much room there is. */
export function explainFileSystemLimit({ disk, target }: Task): Finding[] {
  const limit = sizeLimit(disk, target);
  if (!limit) return [];
  const name = nameInSentence(target);
  const end = formatSize(limit.bytes);
  if (limit.by === 'sectors') {
    return [
      {
        code: 'sector-limit',
        severity: 'blocks',
        partitions: [target.number],
        title: `${name} has reached what its file system can address`,
        detail: `It counts its sectors in 32 bits, so it ends at ${end} with sectors of ${disk.sectorSize} bytes, whatever its clusters.`,
        remedies: [],
      },
    ];
  }
  return [
    {
      code: 'cluster-limit',
      severity: 'blocks',
      partitions: [target.number],
      title: `${name} has reached what its clusters can address`,
      detail: `With clusters of ${formatSize(target.volume!.clusterSize)} this file system ends at ${end}.`,
      remedies: [],
    },
  ];
}
