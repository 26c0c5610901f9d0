import type { Disk, Partition } from '$core/disk';
import { machineOf, type Machine, type SurveyDocument } from '$core/survey';

/** A job's machine with its target found on it. @throws Error where there is none: pages redirect before */
export function jobDisk(job: {
  survey: { document: SurveyDocument } | null;
  target: { disk: number; partition: number } | null;
}): { machine: Machine; disk: Disk; target: Partition } {
  const machine = job.survey && machineOf(job.survey.document);
  const disk = machine?.disks.find((candidate) => candidate.number === job.target?.disk);
  const target = disk?.partitions.find((candidate) => candidate.number === job.target?.partition);
  if (!machine || !disk || !target) throw new Error('the job has no target');
  return { machine, disk, target };
}
