import { alignment, endOf } from './extent';
import type { TableKind } from './kinds';
import type { Disk, Extent } from './types';

/**
 * Least bytes that a GPT keeps for its entry array (UEFI 2.10, 5.3.1), and how many entries of which size that usually
 * is.
 */
const MIN_ARRAY_BYTES = 16 * 1024;
const USUAL = { entries: 128, entrySize: 128 } as const;
/** Most sectors that a master boot record reaches: its entries hold 32 bits (domain facts 3). */
export const MBR_REACH = 2 ** 32 - 1;

/** Number of entries of a GPT's array, and bytes of each; absent where nobody read them. */
export interface EntryArray {
  entries?: number | undefined;
  entrySize?: number | undefined;
}

/** Sectors that an entry array fills. */
export const arraySectors = (
  sectorSize: number,
  { entries = USUAL.entries, entrySize = USUAL.entrySize }: EntryArray = {},
): number => Math.ceil((entries * entrySize) / sectorSize);

/**
 * Sectors at each end of a GPT disk that a table keeps when it is made or relocated: header and entry array, at least
 * 16 KiB of the latter (UEFI 2.10, 5.3.1). At the start the protective record comes on top.
 */
export const tableSectors = (sectorSize: number, array: EntryArray = {}): number =>
  1 + Math.max(MIN_ARRAY_BYTES / sectorSize, arraySectors(sectorSize, array));

export interface TableFacts extends EntryArray {
  table: TableKind;
  sectorSize: number;
  sectors: number;
  /** LBA of the backup header as found; absent: at the last sector. */
  backupHeader?: number | undefined;
  firstUsable?: number | undefined;
  /** Inclusive, as the header stores it. */
  lastUsable?: number | undefined;
}

/**
 * Where partitions may lie: as the table stands, and once its backup copy is at the true end. What the header calls
 * usable counts less what the entry arrays really fill: a header can claim sectors of its own array.
 */
export function computeUsableAreas(facts: TableFacts): { usable: Extent; usableRelocated: Extent } {
  const { sectorSize, sectors } = facts;
  if (facts.table === 'mbr') {
    const usable = { first: 1, sectors: Math.min(sectors, MBR_REACH) - 1 };
    return { usable, usableRelocated: usable };
  }
  const overhead = tableSectors(sectorSize, facts);
  const backup = facts.backupHeader ?? backupBy(facts, overhead);
  const told = {
    first: facts.firstUsable ?? overhead + 1,
    last: facts.lastUsable ?? backup - overhead,
  };
  const filled = facts.entries === undefined ? null : arraySectors(sectorSize, facts);
  const first = filled === null ? told.first : Math.max(told.first, 2 + filled);
  const last = filled === null ? told.last : Math.min(told.last, backup - 1 - filled);
  const usable = { first, sectors: last - first + 1 };
  const misplaced = backup < sectors - 1;
  const usableRelocated = misplaced ? { first, sectors: sectors - 1 - overhead - first + 1 } : usable;
  return { usable, usableRelocated };
}

/**
 * Where the backup header is, where nobody read its place: right behind what is usable and its array, if that leaves
 * room worth having at the end of the disk, as on one that was enlarged; else in the last sector.
 */
function backupBy({ sectorSize, sectors, lastUsable }: TableFacts, overhead: number): number {
  const told = (lastUsable ?? sectors) + overhead;
  return sectors - 1 - told >= alignment({ sectorSize }) ? told : sectors - 1;
}

/**
 * What lies behind the area that the table covers and counts once its backup has moved to the end (domain facts 2);
 * null: nothing worth it.
 */
export function findBeyondTable(
  disk: Pick<Disk, 'sectorSize'>,
  usable: Extent,
  relocated: Extent,
): Extent | null {
  const [first, end] = [endOf(usable), endOf(relocated)];
  return end - first >= alignment(disk) ? { first, sectors: end - first } : null;
}
