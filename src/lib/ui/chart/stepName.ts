import { plainName, type Disk } from '$core/disk';
import { findPartition, moduleOf, type Step } from '$core/steps';

/**
 * A step in two short lines: "Move" and "Archive right 81.0 GiB".
 * @param steps those that it stands among, where a partition may be one that a converted table brought
 */
export function stepName(
  step: Step,
  disk: Disk,
  steps: readonly Step[] = [],
): { verb: string; object: string } {
  const partition = findPartition(disk, step.partition);
  const { name, object } = moduleOf(step.verb);
  const forFirmware = steps.some(
    (one) => one.verb === 'convert-table' && one.efi.partition === step.partition,
  );
  const made = forFirmware ? 'EFI' : 'new volume';
  return { verb: name, object: object(step, disk, partition ? plainName(partition) : made) };
}
