/** The words of the survey document (contract) for kinds of things; types are made from them. */
export const MEDIA = ['hdd', 'sata-ssd', 'nvme', 'virtual'] as const;
export const TABLE_KINDS = ['gpt', 'mbr'] as const;
export const PARTITION_KINDS = ['primary', 'extended', 'logical'] as const;
export const ROLES = [
  'windows',
  'data',
  'recovery',
  'efi',
  'reserved',
  'system',
  'vendor',
  'unknown',
] as const;
/** File systems that a tool can name among its abilities. */
export const NAMED_FILE_SYSTEMS = ['ntfs', 'refs', 'fat32', 'fat16', 'exfat'] as const;
export const FILE_SYSTEMS = [...NAMED_FILE_SYSTEMS, 'encrypted', 'unknown'] as const;
/** Fault of a boot sector: only its backup is sound. */
export const BOOT_SECTORS = ['backup'] as const;
/** Fault of the protective record in sector 0 of a GPT disk. */
export const PROTECTIVE_RECORDS = ['missing', 'hybrid'] as const;
export const ENCRYPTION_STATES = ['off', 'on', 'suspended', 'encrypting', 'decrypting'] as const;

export type Media = (typeof MEDIA)[number];
export type TableKind = (typeof TABLE_KINDS)[number];
export type PartitionKind = (typeof PARTITION_KINDS)[number];
export type PartitionRole = (typeof ROLES)[number];
export type FileSystem = (typeof FILE_SYSTEMS)[number];
export type ProtectiveRecord = (typeof PROTECTIVE_RECORDS)[number];
export type EncryptionState = (typeof ENCRYPTION_STATES)[number];
