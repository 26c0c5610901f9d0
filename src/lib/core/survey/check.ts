import { contains, endOf, overlaps, computeUsableAreas } from '../disk';
import { formatSize } from '../units';
import type { Problem } from '../problem';
import { tableFacts } from './machine';
import type { SurveyDisk, SurveyDocument, SurveyPartition, SurveyVolume } from './document';

/** Limit for a whole machine. Twenty disks with 128 each have fewer. */
const MAX_PARTITIONS = 4096;

/**
 * What a schema cannot say: the document has the right form, but do its figures fit each other? An empty
 * answer means that {@link machineOf} may be called. Rules: contract, "Refused".
 */
export function checkSurvey(survey: SurveyDocument): Problem[] {
  const partitions = survey.disks.reduce((sum, disk) => sum + disk.partitions.length, 0);
  if (partitions > MAX_PARTITIONS) {
    const message = `The survey has ${partitions} partitions; no machine with more than ${MAX_PARTITIONS} is looked at here.`;
    return [{ code: 'too-many', path: '/disks', message }];
  }
  return [
    ...duplicates(
      survey.disks.map((disk, i) => [String(disk.number), `/disks/${i}/number`]),
      'duplicate-disk',
      (value) => `Disk ${value} appears twice. Each disk has a number of its own, counted from 0.`,
    ),
    ...duplicates(
      each(survey, (partition, path) => [partition.letter?.toUpperCase(), `${path}/letter`]),
      'duplicate-letter',
      (value) => `Drive letter ${value}: is given to two partitions. A machine has each letter once.`,
    ),
    ...duplicates(
      each(survey, (partition, path) => [partition.id?.toUpperCase(), `${path}/id`]),
      'duplicate-guid',
      (value) => `Two partitions have the unique GUID ${value}. Was one disk copied onto another?`,
    ),
    ...survey.disks.flatMap((disk, i) => checkDisk(disk, `/disks/${i}`)),
  ];
}

function checkDisk(disk: SurveyDisk, path: string): Problem[] {
  const problems = duplicates(
    disk.partitions.map((partition, i) => [String(partition.number), `${path}/partitions/${i}/number`]),
    'duplicate-number',
    (value) => `Partition number ${value} appears twice on disk ${disk.number}.`,
  );
  const { usable, usableRelocated } = computeUsableAreas(tableFacts(disk));
  const told = Math.max(disk.backupHeader ?? 0, disk.lastUsable ?? 0);
  if (told >= disk.sectors || endOf(usable) > disk.sectors || usable.sectors <= 0) {
    problems.push({
      code: 'usable-area',
      path,
      message: `The usable area that disk ${disk.number}'s table gives does not lie within its ${disk.sectors} sectors.`,
    });
    return problems;
  }
  disk.partitions.forEach((partition, i) => {
    const at = `${path}/partitions/${i}`;
    if (!contains(usable, partition)) {
      const hint = contains(usableRelocated, partition) ? ' It lies behind the backup table.' : '';
      problems.push({
        code: 'outside-usable',
        path: `${at}/first`,
        message: `${call(partition)} covers sectors ${partition.first} to ${endOf(partition) - 1}, outside the usable area from ${usable.first} to ${endOf(usable) - 1}.${hint}`,
      });
    }
    if (partition.volume) problems.push(...checkVolume(disk, partition, partition.volume, `${at}/volume`));
  });
  return [...problems, ...checkOverlaps(disk, path), ...checkLogical(disk, path)];
}

/** Neighbours in the order of their start suffice: among sorted extents the first overlap is between neighbours. */
function checkOverlaps(disk: SurveyDisk, path: string): Problem[] {
  const levels = [
    disk.partitions.filter((partition) => partition.kind !== 'logical'),
    disk.partitions.filter((partition) => partition.kind === 'logical'),
  ];
  return levels.flatMap((level) => {
    const sorted = [...level].sort((a, b) => a.first - b.first);
    return sorted.flatMap((partition, i) => {
      const before = sorted[i - 1];
      if (!before || !overlaps(before, partition)) return [];
      return {
        code: 'overlap',
        path: `${path}/partitions/${disk.partitions.indexOf(partition)}/first`,
        message: `${call(partition)} starts at sector ${partition.first}, but partition ${before.number} reaches up to sector ${endOf(before) - 1}. Partitions may not overlap.`,
      };
    });
  });
}

function checkLogical(disk: SurveyDisk, path: string): Problem[] {
  const extended = disk.partitions.filter((partition) => partition.kind === 'extended');
  const problems: Problem[] = [];
  if (extended.length > 1) {
    problems.push({
      code: 'two-extended',
      path: `${path}/partitions`,
      message: `Disk ${disk.number} has ${extended.length} extended partitions. An MBR holds one at most.`,
    });
  }
  disk.partitions.forEach((partition, i) => {
    if (partition.kind !== 'logical') return;
    // The sector before a logical drive holds the record that describes it, so it counts as inside.
    const withRecord = { first: partition.first - 1, sectors: partition.sectors + 1 };
    if (!extended.some((outer) => contains(outer, withRecord))) {
      problems.push({
        code: 'logical-outside',
        path: `${path}/partitions/${i}/first`,
        message: `${call(partition)} is a logical drive but does not lie inside the extended partition.`,
      });
    }
  });
  return problems;
}

/** Whether a volume's figures fit each other and its partition. */
export function checkVolume(
  disk: SurveyDisk,
  partition: SurveyPartition,
  volume: SurveyVolume,
  path: string,
): Problem[] {
  const problems: Problem[] = [];
  const capacity = partition.sectors * disk.sectorSize;
  if (volume.size % disk.sectorSize !== 0) {
    problems.push({
      code: 'not-sectors',
      path: `${path}/size`,
      message: `A file system of ${volume.size} bytes is no whole number of ${disk.sectorSize}-byte sectors.`,
    });
  }
  if (volume.size > capacity) {
    problems.push({
      code: 'volume-too-large',
      path: `${path}/size`,
      message: `${call(partition)} holds a file system of ${formatSize(volume.size)}, larger than the partition itself (${formatSize(capacity)}).`,
    });
  }
  // What the operating system calls the smallest size is a partition's, so it may pass the file system's by a little.
  const limits = {
    used: volume.size,
    lastUsed: volume.size,
    lastImmovable: volume.size,
    smallestRunning: capacity,
    smallestOffline: capacity,
  };
  for (const [field, limit] of Object.entries(limits) as [keyof typeof limits, number][]) {
    const value = volume[field];
    if (value == null || value <= limit) continue;
    problems.push({
      code: `${field}-above-size`,
      path: `${path}/${field}`,
      message: `${call(partition)}: ${field} is ${formatSize(value)}, more than the volume's size of ${formatSize(limit)}.`,
    });
  }
  return problems;
}

const call = (partition: SurveyPartition): string =>
  `Partition ${partition.number}${partition.letter ? ` (${partition.letter.toUpperCase()}:)` : ''}`;

function each<T>(survey: SurveyDocument, pick: (partition: SurveyPartition, path: string) => T): T[] {
  return survey.disks.flatMap((disk, d) =>
    disk.partitions.map((partition, p) => pick(partition, `/disks/${d}/partitions/${p}`)),
  );
}

function duplicates(
  entries: [string | undefined, string][],
  code: string,
  message: (value: string) => string,
): Problem[] {
  const seen = new Set<string>();
  return entries.flatMap(([value, path]) => {
    if (value === undefined) return [];
    if (seen.has(value)) return { code, path, message: message(value) };
    seen.add(value);
    return [];
  });
}
