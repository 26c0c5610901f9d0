/** The GUID partition table as data, and its form on disk (UEFI 2.10, chapter 5.3). */
export interface GptEntry {
  /** Slot in the entry array, from 0. Kept, so that numbers stay what they were. */
  slot: number;
  type: string;
  id: string;
  first: number;
  /** Inclusive. */
  last: number;
  /** 64 attribute bits. */
  attributes: bigint;
  name: string;
}

export interface GptTable {
  sectorSize: number;
  /** Sectors of the disk. */
  sectors: number;
  diskId: string;
  firstUsable: number;
  /** Inclusive. */
  lastUsable: number;
  /** LBA where the backup header is (or, if it can't be read, where it should be). */
  backupHeader: number;
  entryCount: number;
  entrySize: number;
  entries: GptEntry[];
}

export const HEADER_BYTES = 92;
export const SIGNATURE = 'EFI PART';
/** Byte offsets within the header (UEFI 2.10 table 5.5). */
export const HEADER = {
  revision: 8,
  size: 12,
  crc: 16,
  own: 24,
  alternate: 32,
  firstUsable: 40,
  lastUsable: 48,
  diskId: 56,
  arrayAt: 72,
  entryCount: 80,
  entrySize: 84,
  arrayCrc: 88,
} as const;
export const REVISION = 0x00010000;
/** A name holds 36 UTF-16LE units (UEFI 2.10 table 5.6). */
export const NAME_UNITS = 36;
