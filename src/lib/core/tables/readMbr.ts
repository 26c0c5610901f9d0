import { viewOf } from '../bytes';
import type { ByteSource } from '../images/source';
import { failure, success, type Outcome } from '../problem';
import { entryAt, inUse, looksLikeEntries, PROTECTIVE, type MbrEntry } from './mbrEntry';

/** A partition of an MBR disk, in the order of its entry; logical drives follow from number 5 on. */
export interface MbrPartition {
  number: number;
  kind: 'primary' | 'extended' | 'logical';
  /** Type byte. */
  type: number;
  active: boolean;
  first: number;
  sectors: number;
}

export interface MbrTable {
  sectorSize: number;
  sectors: number;
  /** Disk signature, eight hex digits. */
  diskId: string;
  partitions: MbrPartition[];
}

/** Types of an extended partition. */
export const EXTENDED = [0x05, 0x0f, 0x85];
/** More logical drives than any disk has letters for; a longer chain is damage. */
const MAX_LOGICAL = 128;

/**
 * Reads a master boot record and its chain of extended records (domain facts 3). Sector 0 has been found to be one.
 *
 * Problem codes: `mbr-broken`.
 * @param known bytes a sector, where a disk image says so itself
 */
export async function readMbr(source: ByteSource, known?: number): Promise<Outcome<MbrTable>> {
  const view = viewOf(await source.read(0, 512));
  const entries = [0, 1, 2, 3].map((i) => entryAt(view, i));
  const all = entries.filter(inUse);
  // Protection of a hybrid record may lie across its partitions; then it is none of them.
  const across = (one: MbrEntry) =>
    all.some(
      (other) =>
        other !== one && one.first < other.first + other.sectors && other.first < one.first + one.sectors,
    );
  const used = all.filter((entry) => entry.type !== PROTECTIVE || (entry.sectors > 0 && !across(entry)));
  const sectorSize = await findSectorSize(source, used, known);
  if (sectorSize === null) return broken('a partition lies beyond the end of the file; it may be cut short');

  const partitions: MbrPartition[] = [];
  for (const { number, type, status, first, sectors } of used) {
    if (first === 0) return broken(`partition ${number} has no place`);
    const extended = EXTENDED.includes(type);
    const kind = extended ? 'extended' : 'primary';
    partitions.push({ number, kind, type, active: status === 0x80, first, sectors });
    if (!extended) continue;
    const logical = await readChain(source, sectorSize, { first, sectors });
    if (!logical.ok) return logical;
    partitions.push(...logical.value);
  }
  return success({
    sectorSize,
    sectors: Math.floor(source.size / sectorSize),
    diskId: view.getUint32(0x1b8, true).toString(16).toUpperCase().padStart(8, '0'),
    partitions,
  });
}

/** 512 or 4,096: the size with which all partitions lie on the disk and most of them begin with a boot sector. */
async function findSectorSize(
  source: ByteSource,
  entries: readonly MbrEntry[],
  known: number | undefined,
): Promise<number | null> {
  let best: { size: number; boots: number } | null = null;
  for (const size of known === undefined ? [512, 4096] : [known]) {
    if (entries.some((entry) => (entry.first + entry.sectors) * size > source.size)) continue;
    let boots = 0;
    for (const { first } of entries) {
      const sector = await source.read(first * size, 512);
      if (viewOf(sector).getUint16(510, true) === 0xaa55) boots++;
    }
    if (!best || boots > best.boots) best = { size, boots };
  }
  return best?.size ?? null;
}

/** A record of the chain of logical drives. */
export interface ChainRecord {
  /** Its sector. */
  at: number;
  /** Its first 512 bytes. */
  bytes: Uint8Array;
  /** The drive that it names, with its place on the disk; null: it only leads on. */
  drive: MbrEntry | null;
}

/** Each record names one drive relative to itself and the next record relative to the extended start. */
export async function readChainRecords(
  source: ByteSource,
  sectorSize: number,
  extended: { first: number; sectors: number },
): Promise<Outcome<ChainRecord[]>> {
  const records: ChainRecord[] = [];
  const seen = new Set<number>();
  const end = extended.first + extended.sectors;
  for (let at = extended.first; ;) {
    if (seen.has(at)) return broken('its chain of logical drives runs in a circle');
    if (seen.size >= MAX_LOGICAL) return broken(`it has more than ${MAX_LOGICAL} logical drives`);
    seen.add(at);
    const bytes = await source.read(at * sectorSize, 512);
    const view = viewOf(bytes);
    const [drive, next] = [entryAt(view, 0), entryAt(view, 1)];
    if (view.getUint16(510, true) !== 0xaa55 || !looksLikeEntries([drive, next])) {
      // An extended partition that was never filled has no record yet.
      return seen.size === 1 ? success([]) : broken('a record in its chain of logical drives is damaged');
    }
    const first = at + drive.first;
    if (inUse(drive) && (drive.first === 0 || first + drive.sectors > end))
      return broken('a logical drive lies outside its extended partition');
    records.push({ at, bytes, drive: inUse(drive) ? { ...drive, first } : null });
    if (next.type === 0) return success(records);
    // The drives behind such a record would count as unallocated room.
    if (next.first === 0) return broken('a record in its chain of logical drives leads nowhere');
    if (extended.first + next.first >= end)
      return broken('its chain of logical drives leaves the extended partition');
    at = extended.first + next.first;
  }
}

async function readChain(
  source: ByteSource,
  sectorSize: number,
  extended: { first: number; sectors: number },
): Promise<Outcome<MbrPartition[]>> {
  const records = await readChainRecords(source, sectorSize, extended);
  if (!records.ok) return records;
  const drives = records.value.flatMap(({ drive }) => drive ?? []);
  return success(
    drives.map(({ type, status, first, sectors }, i): MbrPartition => ({
      number: 5 + i,
      kind: 'logical',
      type,
      active: status === 0x80,
      first,
      sectors,
    })),
  );
}

const broken = (reason: string) =>
  failure({
    code: 'mbr-broken',
    path: '',
    message: `The master boot record can't be used: ${reason}. Nothing was read.`,
  });
