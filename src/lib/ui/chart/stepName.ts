import { bytesOf, diskBytes, plainName, type Disk } from '$core/disk';
import type { Step, Verb } from '$core/planning';
import { formatSize } from '$core/units';

export const VERB_NAME: Record<Verb, string> = {
  'relocate-table': 'Relocate table',
  'enlarge-disk': 'Enlarge disk',
  shrink: 'Shrink',
  move: 'Move',
  extend: 'Extend',
  delete: 'Delete',
  create: 'Create',
  copy: 'Copy',
  'set-aside': 'Set aside',
  'put-back': 'Put back',
  decrypt: 'Decrypt',
};

/** A step in two short lines: "Move" and "Archive right 81.0 GiB". */
export function stepName(step: Step, disk: Disk): { verb: string; object: string } {
  const verb = VERB_NAME[step.verb];
  const partition = disk.partitions.find((candidate) => candidate.number === step.partition);
  const name = partition ? plainName(partition) : 'new volume';
  switch (step.verb) {
    case 'relocate-table':
      return { verb, object: 'to the disk’s end' };
    case 'enlarge-disk':
      return { verb, object: `to ${formatSize(diskBytes({ ...disk, sectors: step.diskSectors }))}` };
    case 'move': {
      const by = Math.abs(step.to.first - step.from.first) * disk.sectorSize;
      return {
        verb,
        object: `${name} ${step.to.first > step.from.first ? 'right' : 'left'} ${formatSize(by)}`,
      };
    }
    case 'shrink':
    case 'extend':
      return {
        verb,
        object: `${name} by ${formatSize(Math.abs(bytesOf(disk, step.to) - bytesOf(disk, step.from)))}`,
      };
    case 'create':
    case 'put-back':
      return { verb, object: `${name}, ${formatSize(bytesOf(disk, step.to))}` };
    case 'copy':
      if (step.into === undefined) return { verb, object: `back from ${step.fromOutside}` };
      return {
        verb,
        object: 'outside' in step.into ? `${name} to ${step.into.outside}` : `${name} to new volume`,
      };
    default:
      return { verb, object: name };
  }
}
