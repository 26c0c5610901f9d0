import { bytesOf, endOf, MBR_REACH, nameInSentence, unallocated } from '../disk';
import type { Finding } from '../finding';
import { formatCount, formatMib, formatShare, formatSize, GIB, MIB, roundDown, roundUp } from '../units';
import type { Situation } from './situation';

/** Findings on room elsewhere: to the left, in a larger virtual disk, on another disk. */
export function findAround(situation: Situation): Finding[] {
  return [...virtualDisk(situation), ...roomOnTheLeft(situation), ...otherDisks(situation)];
}

/** After growing, this share of the target should be free; what the exact figure for a virtual disk aims at. */
const COMFORTABLE = 0.2;

/** Size to type in for a virtual disk. */
function virtualDisk({ disk, target }: Situation): Finding[] {
  const used = target.volume?.used;
  if (disk.media !== 'virtual' || used == null) return [];
  const wanted = roundUp(used / (1 - COMFORTABLE), GIB);
  const grow = wanted - bytesOf(disk, target);
  const last = disk.partitions.filter((partition) => partition.kind !== 'logical').at(-1)!;
  const atEnd = roundDown((endOf(disk.usableRelocated) - endOf(last)) * disk.sectorSize, MIB);
  const missing = grow - Math.max(0, atEnd);
  if (grow <= 0 || missing <= 0) return [];
  const total = roundUp(disk.sectors * disk.sectorSize + missing, MIB);
  if (disk.table === 'mbr' && total / disk.sectorSize > MBR_REACH) return [];
  const name = nameInSentence(target);
  const then = last === target ? '' : ` The new room lies at the end, behind ${nameInSentence(last)}.`;
  const table = disk.table === 'gpt' ? ' It counts once the backup table has moved to the new end.' : '';
  return [
    {
      code: 'virtual-disk-enlarge',
      severity: 'note',
      partitions: [target.number],
      title: `This virtual disk could be enlarged to ${formatSize(total)}`,
      detail: `To give ${name} ${formatSize(grow)} more, so that ${formatShare(wanted - used, wanted)} of it is free, the exact new total to type in is ${formatMib(total, disk.sectorSize)} (${formatCount(total)} bytes).${then}${table}`,
      remedies: [{ title: 'Enlarge the disk where the virtual machine is managed', tools: [] }],
    },
  ];
}

function roomOnTheLeft({ gaps, target, disk }: Situation): Finding[] {
  const left = gaps.filter((gap) => gap.first < target.first);
  if (left.length === 0) return [];
  const size = left.reduce((total, gap) => total + bytesOf(disk, gap), 0);
  const name = nameInSentence(target);
  return [
    {
      code: 'room-left',
      severity: 'costs',
      partitions: [target.number],
      title: `${formatSize(size)} lies to the left of ${name}`,
      detail: `A volume takes room at its right end only. To use this, ${name} itself would have to move to the left, whole.`,
      remedies: [{ title: `Move ${name} to the left, then extend`, tools: ['live-mover', 'offline-mover'] }],
    },
  ];
}

function otherDisks({ machine, disk, target }: Situation): Finding[] {
  return machine.disks.flatMap((other): Finding[] => {
    if (other.number === disk.number) return [];
    const free = unallocated(other.usable, other.partitions).reduce(
      (sum, gap) => sum + bytesOf(other, gap),
      0,
    );
    if (free < bytesOf(disk, target) / 20) return [];
    return [
      {
        code: 'room-other-disk',
        severity: 'note',
        partitions: [],
        title: `${formatSize(free)} is unallocated on disk ${other.number}`,
        detail: `A volume cannot reach over to another disk. What lies there can take data that now fills disk ${disk.number}, or the whole system moved over.`,
        remedies: [],
      },
    ];
  });
}
