import type { PartitionRole } from './kinds';
import type { Partition } from './types';

const BY_ROLE: Partial<Record<PartitionRole, string>> = {
  recovery: 'Recovery',
  efi: 'EFI',
  reserved: 'Reserved',
  system: 'System',
  vendor: 'Maker’s recovery',
};

/** A partition's plain name without its letter: "Archive", "Recovery", "Partition 5". */
export function plainName(partition: Partition): string {
  const byRole = BY_ROLE[partition.role];
  if (byRole) return byRole;
  if (partition.kind === 'extended') return 'Extended';
  return (
    partition.volume?.label || (partition.role === 'windows' ? 'Windows' : `Partition ${partition.number}`)
  );
}

/** Name of a partition in a sentence: "C:", "Archive (D:)", "Recovery". */
export function nameInSentence(partition: Partition): string {
  if (partition.role === 'windows' && partition.letter) return `${partition.letter}:`;
  return partition.letter ? `${plainName(partition)} (${partition.letter}:)` : plainName(partition);
}

/** Name of a partition on a basin: "C: Windows", "D: Archive", "Recovery". */
export function nameBasin(partition: Partition): string {
  return partition.letter ? `${partition.letter}: ${plainName(partition)}` : plainName(partition);
}
