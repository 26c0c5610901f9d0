import { plainName, type Disk } from '$core/disk';
import { foundPartition, moduleOf, type Step } from '$core/steps';

/** A step in two short lines: "Move" and "Archive right 81.0 GiB". */
export function stepName(step: Step, disk: Disk): { verb: string; object: string } {
  const partition = foundPartition(disk, step.partition);
  const { name, object } = moduleOf(step.verb);
  return { verb: name, object: object(step, disk, partition ? plainName(partition) : 'new volume') };
}
