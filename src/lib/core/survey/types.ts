import type { ClusterMap, EncryptionState, FileSystem, Media, PartitionKind, Role, TableKind } from '../disk';

/**
 * The survey document, version 1, as it travels (`survey.schema.json` is its exact form). Optional fields
 * may be absent or null. Sizes in bytes, positions in sectors, disks counted from 0.
 */
export interface SurveyDocument {
  format: 'gentle-tide/survey';
  version: 1;
  /** RFC 3339, UTC. */
  takenAt: string;
  machine: SurveyMachine;
  disks: SurveyDisk[];
  notes?: string[] | null;
}

export interface SurveyMachine {
  name: string;
  firmware: 'uefi' | 'bios';
  recoveryEnvironment?: { enabled: boolean; disk?: number | null; partition?: number | null } | null;
  onBattery?: boolean | null;
  /** The setting: hibernation or fast start is on. */
  hibernation?: boolean | null;
  /** This very moment; only that blocks. */
  hibernated?: boolean | null;
}

export interface SurveyDisk {
  number: number;
  model?: string | null;
  serial?: string | null;
  media: Media;
  sectorSize: number;
  sectors: number;
  table: TableKind;
  id?: string | null;
  backupHeader?: number | null;
  firstUsable?: number | null;
  lastUsable?: number | null;
  dynamic?: boolean | null;
  partitions: SurveyPartition[];
}

export interface SurveyPartition {
  number: number;
  first: number;
  sectors: number;
  type: string;
  id?: string | null;
  attributes?: string | null;
  name?: string | null;
  kind?: PartitionKind | null;
  active?: boolean | null;
  letter?: string | null;
  role?: Role | null;
  volume?: SurveyVolume | null;
}

export interface SurveyVolume {
  fileSystem: FileSystem;
  label?: string | null;
  clusterSize?: number | null;
  size: number;
  used?: number | null;
  smallestRunning?: number | null;
  smallestOffline?: number | null;
  /** Bytes to the end of the last used cluster (from a cluster map). */
  lastUsed?: number | null;
  /** Where the used clusters lie, counted in equal runs from the volume's start. */
  clusterMap?: ClusterMap | null;
  dirty?: boolean | null;
  encryption?: { state: EncryptionState; percent?: number | null; usedOnly?: boolean | null } | null;
}
