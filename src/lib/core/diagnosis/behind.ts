import { isEncrypted } from '../tools';
import {
  bytesOf,
  endOf,
  nameInSentence,
  type Disk,
  type Extent,
  type Partition,
  type PartitionRole,
} from '../disk';
import type { Finding } from '../finding';
import { formatMib, formatSize } from '../units';
import { describeEncryptedObstacle } from './encryption';
import type { Situation } from './situation';
import { computeSpare } from './spare';

const MOVERS = ['live-mover', 'offline-mover'];

/** Findings on what lies behind the target, in order from it outwards, as far as there is room to be had. */
export function findBehind(situation: Situation): Finding[] {
  const { behind, gaps, target, disk } = situation;
  const findings: Finding[] = [];
  const gapAt = (at: number) => gaps.find((gap) => gap.first === at);
  const adjacent = gapAt(endOf(target));
  // The table comes first: whatever lies beyond it counts only then.
  findings.push(...tableNotAtEnd(situation));
  if (situation.inReach > 0) findings.push(inReach(situation));

  const last = lastWithRoom(situation);
  for (const [i, partition] of behind.entries()) {
    if (i > last && i > 0) break;
    const spare = computeSpare(disk, partition);
    const gap = gapAt(endOf(partition));
    if (spare > 0) {
      findings.push(roomInside(partition, spare));
      if (gap) findings.push(roomBehindDonor(situation, partition, gap));
    } else findings.push(withRoomBehind(situation, obstacle(partition, disk), gap));
  }
  if (!adjacent && last < 0) findings.push(noRoom(situation));
  return findings;
}

/** Index of the farthest partition that has spare, or room behind it; -1 where there is none. */
function lastWithRoom({ behind, gaps, disk }: Situation): number {
  return behind.findLastIndex(
    (partition) => computeSpare(disk, partition) > 0 || gaps.some((gap) => gap.first === endOf(partition)),
  );
}

/** Space beyond the table, and how it comes to count. */
function tableNotAtEnd({ disk, target, beyond }: Situation): Finding[] {
  if (!beyond) return [];
  const size = formatSize(bytesOf(disk, beyond));
  const last = disk.partitions.filter((one) => one.kind !== 'logical').at(-1);
  const where =
    last === target
      ? `directly behind ${nameInSentence(target)}, which can take it then`
      : `behind ${last ? nameInSentence(last) : 'everything'}`;
  return [
    {
      code: 'table-not-at-end',
      severity: 'costs',
      partitions: [],
      title: 'The partition table ends before the disk does',
      detail: `The disk was enlarged after its table was written. ${size} at its end count only once the backup table has moved there, which copies nothing. They lie ${where}.`,
      remedies: [{ title: 'Move the backup table to the end', tools: ['windows', ...MOVERS] }],
    },
  ];
}

function inReach({ disk, target, inReach: size, extendable }: Situation): Finding {
  return {
    code: 'in-reach',
    severity: 'note',
    partitions: [target.number],
    title: `${formatSize(size)} lies directly behind ${nameInSentence(target)}`,
    detail: `It is unallocated and in reach: ${nameInSentence(target)} can take ${extendable === size ? 'all of it' : 'it, up to the last whole MiB'} (${formatMib(extendable, disk.sectorSize)}), without anything being moved.`,
    remedies: [{ title: 'Extend into it', tools: ['windows', ...MOVERS] }],
  };
}

const OBSTACLE: Record<PartitionRole, { why: string; aside?: boolean }> = {
  recovery: {
    why: 'It must survive: without it Windows cannot repair itself. It can be moved whole, or set aside and put back.',
    aside: true,
  },
  efi: { why: 'The machine boots from it. It can be moved whole; its contents and its GUID stay the same.' },
  reserved: { why: 'It holds no files, so moving it copies nothing. Windows hides it from people.' },
  system: { why: 'The machine boots from it. It can be moved whole.' },
  vendor: {
    why: 'It belongs to the machine’s maker. It may be moved; it is shrunk or deleted only with the owner’s word.',
  },
  windows: { why: 'A Windows volume stands here. It can be moved whole, at a restart or from outside.' },
  data: { why: 'It holds data and has nothing to spare. It can be moved whole.' },
  unknown: { why: 'What it holds is not known here, so it can only be moved whole, sector by sector.' },
};

function obstacle(partition: Partition, disk: Disk): Finding {
  const name = nameInSentence(partition);
  const base = { severity: 'costs' as const, partitions: [partition.number] };
  if (partition.kind === 'extended') {
    const drives = disk.partitions.filter((one) => one.kind === 'logical').map((one) => one.number);
    return {
      ...base,
      partitions: [partition.number, ...drives],
      code: 'obstacle-extended',
      title: `${name} partition is an obstacle`,
      detail:
        'It holds logical drives. Room inside it stays out of reach until the extended partition itself is made smaller on that side.',
      remedies: [{ title: 'Resize the extended partition', tools: MOVERS }],
    };
  }
  if (isEncrypted(partition)) return describeEncryptedObstacle(disk, partition);
  if (partition.volume?.bootSectorDamaged) return damagedObstacle(partition);
  const { why, aside } = OBSTACLE[partition.role];
  const remedies = [{ title: 'Move it to the right', tools: MOVERS }];
  if (aside) remedies.push({ title: 'Set aside, extend, put back', tools: ['windows'] });
  return {
    ...base,
    code: `obstacle-${partition.role}`,
    title: `${name} is an obstacle`,
    detail: why,
    remedies,
  };
}

/**
 * Nothing touches a volume of which only the backup boot sector is sound, so it has to be mended before it can make
 * way.
 */
function damagedObstacle(partition: Partition): Finding {
  return {
    code: 'obstacle-damaged',
    severity: 'costs',
    partitions: [partition.number],
    title: `${nameInSentence(partition)} is damaged, and an obstacle`,
    detail:
      'Its boot sector is damaged; only the backup at another place of the partition is sound, and Windows shows the volume as raw. Nothing moves it before that has been mended.',
    remedies: [
      { title: 'Write the boot sector anew from its backup, then check the file system', tools: ['windows'] },
    ],
  };
}

function roomInside(partition: Partition, spare: number): Finding {
  const name = nameInSentence(partition);
  return {
    code: 'room-inside',
    severity: 'costs',
    partitions: [partition.number],
    title: `${formatSize(spare)} to spare inside ${name}`,
    detail: `It has to come out at the left end of ${name}, the end that faces the target. Room freed at its right end stays out of reach.`,
    remedies: [
      { title: 'Shrink, then move right', tools: MOVERS },
      { title: 'Copy out, rebuild smaller', tools: ['windows'] },
    ],
  };
}

function roomBehindDonor({ disk, target }: Situation, partition: Partition, gap: Extent): Finding {
  const name = nameInSentence(partition);
  return {
    code: 'room-behind-donor',
    severity: 'costs',
    partitions: [partition.number],
    title: `${formatSize(bytesOf(disk, gap))} lies behind the end of ${name}`,
    detail: `Room shrunk out of a volume appears at its right end, the wrong one here: ${name} stands between it and ${nameInSentence(target)}. ${name} has to move to the right, whole; what it could still spare itself goes the same way.`,
    remedies: [{ title: `Move ${name} to the right`, tools: MOVERS }],
  };
}

/** An obstacle and the room behind it ask for the same: that it makes way. */
function withRoomBehind({ disk, target }: Situation, finding: Finding, gap: Extent | undefined): Finding {
  if (!gap) return finding;
  const size = formatSize(bytesOf(disk, gap));
  return {
    ...finding,
    detail: `${size} lies directly behind it, out of reach of ${nameInSentence(target)} as long as it stands between. ${finding.detail}`,
  };
}

function noRoom({ target, disk }: Situation): Finding {
  return {
    code: 'no-room-behind',
    severity: 'blocks',
    partitions: [target.number],
    title: 'There is no room behind it',
    detail: `Nothing behind ${nameInSentence(target)} is unallocated, and no volume there has room to spare, up to the end of disk ${disk.number}.`,
    remedies: [],
  };
}
