import type { Partition, PartitionRole } from '$core/disk';

/** The family of colours and marks that a role is drawn with. */
export type Paint = 'windows' | 'data' | 'recovery' | 'boot' | 'reserved';

const PAINT: Record<PartitionRole, Paint> = {
  windows: 'windows',
  data: 'data',
  recovery: 'recovery',
  vendor: 'recovery',
  efi: 'boot',
  system: 'boot',
  reserved: 'reserved',
  unknown: 'reserved',
};

export const paintOf = ({ role }: Pick<Partition, 'role'>): Paint => PAINT[role];

/** A word for a role where there is room for one only. */
export const ROLE_TAG: Record<PartitionRole, string> = {
  windows: 'Windows',
  data: 'data',
  recovery: 'recovery',
  efi: 'EFI',
  reserved: 'reserved',
  system: 'system',
  vendor: 'maker’s',
  unknown: 'unknown',
};

const SHORT: Record<Exclude<PartitionRole, 'data'>, string> = {
  windows: 'Win.',
  recovery: 'Rec.',
  vendor: 'Maker',
  efi: 'EFI',
  system: 'Sys.',
  reserved: 'Res.',
  unknown: '?',
};

/** What a narrow basin is labelled with: a letter, else what it is for, else its number. */
export function shortenLabel(partition: Partition): string {
  if (partition.letter) return `${partition.letter}:`;
  return partition.role === 'data' ? String(partition.number) : SHORT[partition.role];
}
