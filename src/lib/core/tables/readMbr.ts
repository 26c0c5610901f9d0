import type { ByteSource } from '../images/source';
import { failure, success, type Outcome } from '../problem';

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

const EXTENDED = [0x05, 0x0f, 0x85];
const PROTECTIVE = 0xee;
/** More logical drives than any disk has letters for; a longer chain is damage. */
const MOST_LOGICAL = 128;

const viewOf = (bytes: Uint8Array): DataView =>
  new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength);

/**
 * Reads a master boot record and its chain of extended records (domain facts 3).
 *
 * Problem codes: `no-table` (neither kind of table is there), `volume-image` (the file holds one volume, not a
 * disk), `gpt-lost` (a protective record without its GPT), `mbr-broken`.
 */
export async function readMbr(source: ByteSource): Promise<Outcome<MbrTable>> {
  if (source.size < 512) return noTable();
  const boot = await source.read(0, 512);
  const view = viewOf(boot);
  if (view.getUint16(510, true) !== 0xaa55) return noTable();
  const oem = new TextDecoder('latin1').decode(boot.subarray(3, 11));
  if (/^(NTFS {4}|EXFAT {3}|-FVE-FS-|MSDOS\d\.\d|mkfs\.fat)$/.test(oem)) {
    return failure({
      code: 'volume-image',
      path: '',
      message:
        'This file holds a single volume, not a whole disk: it begins with a file system. Take an image of the whole disk.',
    });
  }
  const entries = [0, 1, 2, 3].map((i) => entryAt(view, i));
  if (entries.some((entry) => entry.status !== 0 && entry.status !== 0x80)) return noTable();
  if (entries.some((entry) => entry.type === PROTECTIVE)) {
    return failure({
      code: 'gpt-lost',
      path: '',
      message:
        'The disk says that it has a GUID partition table, but neither copy of it is there. Restore the table first.',
    });
  }
  const used = entries.map((entry, i) => ({ ...entry, number: i + 1 })).filter((entry) => entry.type !== 0);
  if (used.length === 0) return noTable();
  const sectorSize = await findSectorSize(source, used);
  if (sectorSize === null) return broken('a partition lies beyond the end of the file; it may be cut short');

  const partitions: MbrPartition[] = [];
  for (const { number, type, status, first, sectors } of used) {
    if (first === 0 || sectors === 0) return broken(`partition ${number} has no place`);
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

interface Entry {
  status: number;
  type: number;
  first: number;
  sectors: number;
}

function entryAt(view: DataView, index: number): Entry {
  const at = 0x1be + 16 * index;
  return {
    status: view.getUint8(at),
    type: view.getUint8(at + 4),
    first: view.getUint32(at + 8, true),
    sectors: view.getUint32(at + 12, true),
  };
}

/** 512 or 4,096: the size with which all partitions lie on the disk and most of them begin with a boot sector. */
async function findSectorSize(source: ByteSource, entries: readonly Entry[]): Promise<number | null> {
  let best: { size: number; boots: number } | null = null;
  for (const size of [512, 4096]) {
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

/** Each record names one drive relative to itself and the next record relative to the extended start. */
async function readChain(
  source: ByteSource,
  sectorSize: number,
  extended: { first: number; sectors: number },
): Promise<Outcome<MbrPartition[]>> {
  const drives: MbrPartition[] = [];
  const seen = new Set<number>();
  const end = extended.first + extended.sectors;
  for (let at = extended.first; ;) {
    if (seen.has(at)) return broken('its chain of logical drives runs in a circle');
    if (seen.size >= MOST_LOGICAL) return broken(`it has more than ${MOST_LOGICAL} logical drives`);
    seen.add(at);
    const view = viewOf(await source.read(at * sectorSize, 512));
    if (view.getUint16(510, true) !== 0xaa55) {
      // An extended partition that was never filled has no record yet.
      return seen.size === 1 ? success([]) : broken('a record in its chain of logical drives is damaged');
    }
    const drive = entryAt(view, 0);
    if (drive.type !== 0) {
      const first = at + drive.first;
      if (drive.first === 0 || drive.sectors === 0 || first + drive.sectors > end) {
        return broken('a logical drive lies outside its extended partition');
      }
      drives.push({
        number: 5 + drives.length,
        kind: 'logical',
        type: drive.type,
        active: drive.status === 0x80,
        first,
        sectors: drive.sectors,
      });
    }
    const next = entryAt(view, 1);
    if (next.type === 0) return success(drives);
    if (extended.first + next.first >= end)
      return broken('its chain of logical drives leaves the extended partition');
    at = extended.first + next.first;
  }
}

const noTable = () =>
  failure({
    code: 'no-table',
    path: '',
    message:
      'There is no partition table in this file, neither a GUID partition table nor a master boot record.',
  });

const broken = (reason: string) =>
  failure({
    code: 'mbr-broken',
    path: '',
    message: `The master boot record can't be used: ${reason}. Nothing was read.`,
  });
