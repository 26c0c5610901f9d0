import { bytesOf, plainName, type Disk } from '$core/disk';
import type { Step } from '$core/planning';
import { formatSize } from '$core/units';

const VERB: Record<Step['verb'], string> = {
  shrink: 'Shrink',
  move: 'Move',
  extend: 'Extend',
  'relocate-table': 'Relocate table',
};

/** A step in two short lines: "Move" and "Archive right 81.0 GiB". */
export function stepName(step: Step, disk: Disk): { verb: string; object: string } {
  const verb = VERB[step.verb];
  if (step.verb === 'relocate-table') return { verb, object: 'to the disk’s end' };
  const partition = disk.partitions.find((candidate) => candidate.number === step.partition);
  const name = partition ? plainName(partition) : `Partition ${step.partition}`;
  if (step.verb === 'move') {
    const by = Math.abs(step.to.first - step.from.first) * disk.sectorSize;
    return {
      verb,
      object: `${name} ${step.to.first > step.from.first ? 'right' : 'left'} ${formatSize(by)}`,
    };
  }
  const by = Math.abs(bytesOf(disk, step.to) - bytesOf(disk, step.from));
  return { verb, object: `${name} by ${formatSize(by)}` };
}
