import { alignment, endOf } from './extent';
import type { TableKind } from './kinds';
import type { Disk, Extent } from './types';

const ENTRY_ARRAY_BYTES = 16 * 1024;
/** Most sectors that a master boot record reaches: its entries hold 32 bits (domain facts 3). */
export const MBR_REACH = 2 ** 32 - 1;

/**
 * Sectors at each end of a GPT disk that the table takes: header and entry array (at least 16 KiB), and at
 * the start the protective MBR as well (UEFI 2.10, 5.3.1).
 */
export const tableSectors = (sectorSize: number): number => 1 + ENTRY_ARRAY_BYTES / sectorSize;

export interface TableFacts {
  table: TableKind;
  sectorSize: number;
  sectors: number;
  /** LBA of the backup header as found; absent: at the last sector. */
  backupHeader?: number | undefined;
  firstUsable?: number | undefined;
  /** Inclusive, as the header stores it. */
  lastUsable?: number | undefined;
}

/** Where partitions may lie: as the table stands, and once its backup copy is at the true end. */
export function usableAreas(facts: TableFacts): { usable: Extent; usableRelocated: Extent } {
  if (facts.table === 'mbr') {
    const usable = { first: 1, sectors: Math.min(facts.sectors, MBR_REACH) - 1 };
    return { usable, usableRelocated: usable };
  }
  const overhead = tableSectors(facts.sectorSize);
  const first = facts.firstUsable ?? overhead + 1;
  const backup = facts.backupHeader ?? facts.sectors - 1;
  const last = facts.lastUsable ?? backup - overhead;
  const usable = { first, sectors: last - first + 1 };
  const misplaced = backup < facts.sectors - 1;
  const usableRelocated = misplaced ? { first, sectors: facts.sectors - 1 - overhead - first + 1 } : usable;
  return { usable, usableRelocated };
}

/**
 * What lies behind the area that the table covers and counts once its backup has moved to the end (domain facts 2); null: nothing worth it.
 */
export function beyondTable(
  disk: Pick<Disk, 'sectorSize'>,
  usable: Extent,
  relocated: Extent,
): Extent | null {
  const [first, end] = [endOf(usable), endOf(relocated)];
  return end - first >= alignment(disk) ? { first, sectors: end - first } : null;
}
