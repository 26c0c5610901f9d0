import type {
  EncryptionState,
  FileSystem,
  Media,
  PartitionKind,
  ProtectiveRecord,
  PartitionRole,
  TableKind,
} from './kinds';

/**
 * The disk as the computation sees it. Positions and extents are in logical sectors (LBA), sizes of volumes
 * in bytes; a name that holds neither `first` nor `sectors` nor `end` is bytes.
 */

/** A run of sectors: `first` is its LBA, `sectors` its length (0 or more). */
export interface Extent {
  first: number;
  sectors: number;
}

/** Used clusters counted in equal runs from the volume's start. */
export interface ClusterMap {
  /** Clusters to a bucket; the last bucket may hold fewer. */
  clustersPerBucket: number;
  /** Used clusters of each bucket. */
  used: number[];
}

export interface Volume {
  fileSystem: FileSystem;
  label: string;
  /** Bytes a cluster; 0 where the file system does not say. */
  clusterSize: number;
  /** Bytes of the file system, never more than the partition's. */
  size: number;
  /** Bytes in use, or null where they could not be read. */
  used: number | null;
  /** The smallest size that Windows itself offers, in bytes, where it was asked. */
  smallestRunning: number | null;
  /** The smallest size from a cluster map, in bytes. */
  smallestOffline: number | null;
  /** Bytes from the volume's start to the end of its last used cluster. */
  lastUsed: number | null;
  /** Bytes to the end of the last cluster that Windows does not move while it runs, where that was read. */
  lastImmovable: number | null;
  /** The file that holds that cluster, where that was read. */
  immovableFile: string | null;
  /** Map of the used clusters, where it was read. */
  clusterMap: ClusterMap | null;
  dirty: boolean;
  /** Its boot sector is damaged; what is known of it comes by way of the backup. */
  bootSectorDamaged: boolean;
  encryption: { state: EncryptionState; percent: number; usedOnly: boolean };
}

export interface Partition extends Extent {
  number: number;
  /** Type GUID in upper case; on MBR "0x07". */
  type: string;
  /** Unique GUID in upper case, or null (MBR). */
  id: string | null;
  /** The 64 attribute bits as "0x" and 16 hex digits. */
  attributes: string;
  /** Bits of the 64 that were not read but are taken as usual, in the same form. */
  unreadAttributes: string;
  name: string;
  kind: PartitionKind;
  active: boolean;
  /** Drive letter without colon, or null. */
  letter: string | null;
  role: PartitionRole;
  volume: Volume | null;
}

export interface Disk {
  number: number;
  model: string;
  serial: string;
  media: Media;
  sectorSize: number;
  /** Length of the whole disk in sectors. */
  sectors: number;
  table: TableKind;
  id: string;
  dynamic: boolean;
  /** Sector 0 is not what a GPT disk needs: no protective record, or a hybrid one; null: nothing is wrong with it. */
  protectiveRecord: ProtectiveRecord | null;
  /** Area for partitions as the table stands now. */
  usable: Extent;
  /**
   * Where they may lie once the backup table is at the true end; equal to `usable` unless the disk was
   * enlarged after its table was written.
   */
  usableRelocated: Extent;
  /** In the order of their position. */
  partitions: Partition[];
}
