import {
  alignment,
  bytesOf,
  endOf,
  MBR_REACH,
  plainName,
  nameInSentence,
  unallocated,
  isWorthShowing,
  type Disk,
  type Extent,
  type Partition,
} from '../disk';
import type { Finding } from '../finding';
import { tableConversion } from '../tools';
import { formatSize, GIB } from '../units';
import { note } from './note';
import type { Situation } from './situation';

const MAX_PRIMARIES = 4;
/** A recovery partition is usually 500 MiB to 1 GiB (domain facts 6); far above, it is worth a look. */
const LARGE_RECOVERY = 2 * GIB;

/** Findings on the disk's own state: its table, its starts, its leftovers. */
export function findDiskFindings(situation: Situation): Finding[] {
  return [
    ...insideExtended(situation),
    ...outsideExtended(situation),
    ...beyondReach(situation),
    ...fourPrimaries(situation),
    ...bootStartMoves(situation),
    ...stranded(situation),
    ...misaligned(situation),
    ...recoveryPartitions(situation),
    ...recoveryEnvironment(situation),
  ];
}

function insideExtended({ disk, target }: Situation): Finding[] {
  const extended = disk.partitions.find((partition) => partition.kind === 'extended');
  if (!extended || target.kind === 'logical') return [];
  const logical: Extent[] = disk.partitions
    .filter((one) => one.kind === 'logical')
    .map(({ first, sectors }) => ({ first, sectors }));
  const free = unallocated(extended, logical).filter((gap) => isWorthShowing(disk, gap));
  // A logical drive needs a gap of 1 MiB before it in practice; that is no room.
  const size = free
    .filter((gap) => gap.sectors > alignment(disk))
    .reduce((sum, gap) => sum + bytesOf(disk, gap), 0);
  if (size === 0) return [];
  return [
    {
      ...note(
        'room-inside-extended',
        [extended],
        `${formatSize(size)} is unallocated inside the extended partition`,
        `It counts for logical drives only. ${nameInSentence(target)} is a primary partition; the extended partition would have to end or begin elsewhere first.`,
      ),
      severity: 'costs',
      remedies: [{ title: 'Resize the extended partition', tools: ['live-mover', 'offline-mover'] }],
    },
  ];
}

function outsideExtended({ disk, target }: Situation): Finding[] {
  if (target.kind !== 'logical') return [];
  const free = unallocated(disk.usable, disk.partitions).filter((gap) => isWorthShowing(disk, gap));
  const size = free.reduce((sum, gap) => sum + bytesOf(disk, gap), 0);
  if (size === 0) return [];
  return [
    {
      ...note(
        'room-outside-extended',
        disk.partitions.filter((partition) => partition.kind === 'extended'),
        `${formatSize(size)} is unallocated outside the extended partition`,
        `${nameInSentence(target)} is a logical drive, so it can take only what lies inside. The extended partition would have to grow first.`,
      ),
      severity: 'costs',
      remedies: [{ title: 'Resize the extended partition', tools: ['live-mover', 'offline-mover'] }],
    },
  ];
}

/** On MBR boot data is bound to the disk's signature and a byte offset (domain facts 3). */
function bootStartMoves({ disk, target, behind, gaps }: Situation): Finding[] {
  if (disk.table !== 'mbr') return [];
  const boots = (one: Partition) => one.active || one.role === 'windows' || one.role === 'system';
  const inTheWay = behind.filter((one) => boots(one) && gaps.some((gap) => gap.first >= endOf(one)));
  const toTheLeft = boots(target) && gaps.some((gap) => gap.first < target.first) ? [target] : [];
  const moved = [...toTheLeft, ...inTheWay];
  if (moved.length === 0) return [];
  return [
    {
      ...note(
        'mbr-start-moves',
        moved,
        `The start of ${moved.map(nameInSentence).join(' and ')} would move`,
        'On this kind of table the boot data names the disk and the byte where a partition starts. After such a move the machine does not start until the boot data is repaired, and a moved data volume may lose its letter.',
      ),
      severity: 'costs',
      remedies: [
        { title: 'Have a repair medium at hand and repair the boot data after the move', tools: [] },
      ],
    },
  ];
}

function beyondReach({ disk }: Situation): Finding[] {
  if (disk.table !== 'mbr' || disk.sectors <= MBR_REACH + 1) return [];
  const lost = (disk.sectors - MBR_REACH) * disk.sectorSize;
  const reach = formatSize(MBR_REACH * disk.sectorSize);
  return [
    note(
      'beyond-mbr-reach',
      [],
      `${formatSize(lost)} lies beyond the reach of this disk’s table`,
      `A master boot record reaches ${reach} with sectors of ${disk.sectorSize} bytes. What lies behind stays out of reach for every partition until the disk has a GUID partition table.`,
      convertible(disk),
    ),
  ];
}

/** Ability of Windows where the kind of table is what limits a disk. */
const convertible = (disk: Disk): Finding['remedies'] =>
  tableConversion(disk).ok
    ? [
        {
          title: 'Convert the table to GPT; allow it on the Target screen (there is no way back)',
          tools: ['windows'],
        },
      ]
    : [];

function fourPrimaries({ disk }: Situation): Finding[] {
  if (disk.table !== 'mbr') return [];
  const used = disk.partitions.filter((partition) => partition.kind !== 'logical');
  if (used.length < MAX_PRIMARIES) return [];
  return [
    note(
      'four-primaries',
      used,
      'All four entries of the partition table are in use',
      'No further primary partition can be made on this disk, so nothing can be copied into a new one or put back elsewhere.',
      convertible(disk),
    ),
  ];
}

function stranded({ disk, gaps }: Situation): Finding[] {
  const pieces = gaps.filter((gap) => bytesOf(disk, gap) < GIB && endOf(gap) < endOf(disk.usable));
  if (pieces.length === 0) return [];
  const size = pieces.reduce((sum, gap) => sum + bytesOf(disk, gap), 0);
  return [
    note(
      'stranded',
      [],
      `${formatSize(size)} is stranded in ${pieces.length === 1 ? 'one piece' : `${pieces.length} pieces`}`,
      'Unallocated pieces below 1 GiB between partitions are of little use to anybody. A route that shifts their neighbours takes them up.',
    ),
  ];
}

function misaligned({ disk }: Situation): Finding[] {
  const slot = alignment(disk);
  const crooked = disk.partitions.filter((one) => one.kind !== 'extended' && one.first % slot !== 0);
  if (crooked.length === 0) return [];
  return [
    note(
      'misaligned',
      crooked,
      `${crooked.map(plainName).join(', ')} ${crooked.length === 1 ? 'does' : 'do'} not start on a whole MiB`,
      'Old layouts look like this, and it may slow a drive down. What need not move is left where it is; what moves anyway is aligned.',
    ),
  ];
}

function recoveryPartitions({ machine, disk }: Situation): Finding[] {
  const all = disk.partitions.filter((partition) => partition.role === 'recovery');
  const findings: Finding[] = [];
  const large = all.filter((partition) => bytesOf(disk, partition) > LARGE_RECOVERY);
  if (large.length > 0) {
    const size = formatSize(bytesOf(disk, large[0]!));
    findings.push(
      note(
        'oversized-recovery',
        large,
        `A recovery partition of ${size}`,
        'Windows’ own needs 500 MiB to 1 GiB. One this large may be the machine maker’s: it may be moved, but it is shrunk only with the owner’s word.',
      ),
    );
  }
  const inUse = machine.recoveryEnvironment;
  const unused = all.filter((one) => inUse?.disk === disk.number && one.number !== inUse.partition);
  const elsewhere = unused.length === all.length;
  if (inUse?.enabled && inUse.partition != null && unused.length > 0 && (all.length > 1 || elsewhere)) {
    findings.push(
      note(
        'unused-recovery',
        unused,
        elsewhere
          ? `${all.length === 1 ? 'The recovery partition is' : 'The recovery partitions are'} not in use`
          : 'There are two recovery partitions, and one is not in use',
        `${elsewhere ? 'The recovery environment is elsewhere.' : 'Windows makes a new one when the old is too small.'} The unused one could go, with the owner’s word; nothing is deleted without it.`,
      ),
    );
  }
  return findings;
}

/** Older installs keep it beside what starts Windows; Windows itself falls back to its own volume (domain facts 6). */
function recoveryWithin(partition: Partition): Finding {
  const own = partition.role === 'windows';
  return note(
    'recovery-within',
    [partition],
    `The recovery environment is on ${own ? 'the Windows volume itself' : nameInSentence(partition)}`,
    own
      ? 'Windows puts it there where no recovery partition serves it. That is in order: it stays with the volume, whatever is done around it.'
      : 'That is usual on machines that start by BIOS. It is in order: it stays with the partition, which may be moved whole but is never shrunk.',
  );
}

function recoveryEnvironment({ machine, disk }: Situation): Finding[] {
  const state = machine.recoveryEnvironment;
  if (!state) return [];
  const recovery = disk.partitions.filter((partition) => partition.role === 'recovery');
  if (!state.enabled) {
    return [
      note(
        'recovery-off',
        recovery,
        'The recovery environment is off',
        'Windows could not repair itself as things stand. Note it now: afterwards it should be on, or the owner should know that it was off before.',
      ),
    ];
  }
  const named =
    state.disk === disk.number ? disk.partitions.find((one) => one.number === state.partition) : undefined;
  if (state.disk !== disk.number || named?.role === 'recovery') return [];
  if (named?.role === 'system' || named?.role === 'windows') return [recoveryWithin(named)];
  return [
    note(
      'recovery-mismatch',
      named ? [named] : [],
      'The recovery environment does not match a recovery partition',
      `It is said to be on partition ${state.partition}, which ${named ? 'is no recovery partition' : 'does not exist'}. Mend that before anything is moved.`,
    ),
  ];
}
